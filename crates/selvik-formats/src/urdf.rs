//! URDF: links, joints, visual geometry and limits.

use std::collections::HashMap;
use std::sync::Arc;

use nalgebra::Unit;
use roxmltree::{Document, Node};
use selvik_core::mesh::{Shape, Surface, TriangleMesh};
use selvik_core::robot::{Follows, Joint, JointKind, JointLimits, Link, Mechanism, Mimic, Span};
use selvik_core::spatial::{Pose, Vector, pose_from_rpy};

use crate::mesh::{LengthUnit, MeshConvention, UpAxis, read_mesh};
use crate::xml::parsed;
use crate::{FormatError, LinkGeometry, PackageFiles, Result};

/// Reads the URDF file `name` of a package with the meshes it names.
///
/// The geometry of a link is its `visual` or its `collision`, as wanted, the other where it has none: what is seen is what
/// is measured. Joint types `fixed`, `revolute`, `continuous` and `prismatic` are read, and joints that mimic others; one
/// that floats or slides in a plane is refused. A mesh that is nowhere among the files is noted in its link.
///
/// # Errors
/// [`FormatError`] with the line.
pub fn read_urdf(
    files: &PackageFiles,
    name: &str,
    geometry: LinkGeometry,
    wanted_by: &str,
) -> Result<Mechanism> {
    let bytes = files.get(name, wanted_by)?;
    let document = parsed(name, &bytes)?;
    Reader {
        files,
        name,
        geometry,
        document: &document,
    }
    .read()
}

/// No joint of a machine goes so far or so fast, rad or m.
const HUGE: f64 = 1e4;

/// Sizes of shapes that are of this world, m.
const SIZES: std::ops::RangeInclusive<f64> = 1e-6..=1e4;

/// Geometry that a link names.
enum Found {
    Shape(Shape),
    /// A mesh that is nowhere among the files.
    Missing(String),
}

struct Reader<'a> {
    files: &'a PackageFiles,
    name: &'a str,
    geometry: LinkGeometry,
    document: &'a Document<'a>,
}

impl Reader<'_> {
    fn read(&self) -> Result<Mechanism> {
        let robot = self.document.root_element();
        if !robot.has_tag_name("robot") {
            return Err(self.fail(&robot, "the outermost element must be <robot>"));
        }
        let mut links = Vec::new();
        let mut index = HashMap::new();
        for node in children(&robot, "link") {
            let name = self.attribute(&node, "name")?;
            if index.insert(name.to_owned(), links.len()).is_some() {
                return Err(self.fail(&node, &format!("there are two links named \"{name}\"")));
            }
            let mut missing = Vec::new();
            let surface = self.surface(&node, &mut missing)?;
            links.push(Link {
                name: name.to_owned(),
                surface,
                missing,
            });
        }
        let joints = children(&robot, "joint")
            .map(|n| self.joint(&n, &index))
            .collect::<Result<Vec<_>>>()?;
        Mechanism::new(links, joints).map_err(|e| self.fail(&robot, &e.to_string()))
    }

    fn joint(&self, node: &Node, links: &HashMap<String, usize>) -> Result<Joint> {
        let name = self.attribute(node, "name")?.to_owned();
        let kind = match self.attribute(node, "type")? {
            "fixed" => JointKind::Fixed,
            "revolute" => JointKind::Revolute,
            "continuous" => JointKind::Continuous,
            "prismatic" => JointKind::Prismatic,
            other => {
                let message = format!(
                    "joint \"{name}\" is \"{other}\"; only fixed, revolute, continuous and prismatic are read"
                );
                return Err(self.fail(node, &message));
            }
        };
        let mimics = child(node, "mimic").filter(|_| kind.moves());
        let mimics = mimics.map(|mimic| self.mimic(&mimic, &name)).transpose()?;
        let link = |which: &str| -> Result<usize> {
            let end = child(node, which)
                .ok_or_else(|| self.fail(node, &format!("joint \"{name}\" has no <{which}>")))?;
            let link = self.attribute(&end, "link")?;
            let unknown = || self.fail(&end, &format!("there is no link \"{link}\""));
            links.get(link).copied().ok_or_else(unknown)
        };
        let axis = match child(node, "axis") {
            Some(axis) => Vector::from(self.numbers(&axis, "xyz")?.unwrap_or([1.0, 0.0, 0.0])),
            None => Vector::x(),
        };
        let axis = if kind.moves() {
            Unit::try_new(axis, 1e-9).ok_or_else(|| {
                self.fail(
                    node,
                    &format!("the axis of joint \"{name}\" has no direction"),
                )
            })?
        } else {
            Vector::x_axis()
        };
        Ok(Joint {
            parent: link("parent")?,
            child: link("child")?,
            origin: self.origin(node)?,
            axis,
            limits: self.limits(node, &name, kind)?,
            mimics,
            name,
            kind,
        })
    }

    fn mimic(&self, node: &Node, name: &str) -> Result<Mimic> {
        let ratio = self.number(node, "multiplier")?.unwrap_or(1.0);
        if ratio.abs() < 1e-9 {
            return Err(self.fail(
                node,
                &format!("joint \"{name}\" mimics with a multiplier of 0; make it fixed"),
            ));
        }
        let offset = self.number(node, "offset")?.unwrap_or(0.0);
        Ok(Mimic {
            joint: self.attribute(node, "joint")?.to_owned(),
            follows: Follows { ratio, offset },
        })
    }

    /// What a joint may do. What is missing, 0 or as large as no machine goes counts as not stated.
    fn limits(&self, node: &Node, name: &str, kind: JointKind) -> Result<JointLimits> {
        let mut limits = JointLimits::default();
        let Some(limit) = child(node, "limit") else {
            return Ok(limits);
        };
        let number = |key: &str| -> Result<Option<f64>> {
            let Some(text) = limit.attribute(key) else {
                return Ok(None);
            };
            let value = text.trim().parse::<f64>().ok().filter(|v| !v.is_nan());
            let unusable = || {
                self.fail(
                    &limit,
                    &format!("{key} is \"{text}\", which is not a usable number"),
                )
            };
            value.ok_or_else(unusable).map(Some)
        };
        if matches!(kind, JointKind::Revolute | JointKind::Prismatic) {
            let ends = (number("lower")?, number("upper")?);
            if ends != (None, None) {
                let (low, high) = (ends.0.unwrap_or(0.0), ends.1.unwrap_or(0.0));
                let span = Span::new(low, high).ok_or_else(|| {
                    self.fail(
                        &limit,
                        &format!("lower {low} of joint \"{name}\" is above upper {high}"),
                    )
                })?;
                if low > -HUGE && high < HUGE {
                    limits.position = span;
                    limits.stated.position = true;
                }
            }
        }
        match number("velocity")? {
            Some(velocity) if velocity < 0.0 && kind.moves() => {
                return Err(self.fail(
                    &limit,
                    &format!("velocity of joint \"{name}\" must be positive"),
                ));
            }
            Some(velocity) if velocity > 1e-9 && velocity < HUGE => {
                limits.velocity = velocity;
                limits.stated.velocity = true;
            }
            _ => {}
        }
        Ok(limits)
    }

    fn surface(&self, link: &Node, missing: &mut Vec<String>) -> Result<Option<Arc<Surface>>> {
        let mut shapes = Vec::new();
        let kinds = match self.geometry {
            LinkGeometry::Visual => ["visual", "collision"],
            LinkGeometry::Collision => ["collision", "visual"],
        };
        for kind in kinds {
            let mut any = false;
            for part in children(link, kind) {
                let Some(geometry) = child(&part, "geometry") else {
                    continue;
                };
                any = true;
                let origin = self.origin(&part)?;
                match self.shape(&geometry)? {
                    Found::Shape(shape) => shapes.push((shape, origin)),
                    Found::Missing(file) => missing.push(file),
                }
            }
            if any {
                break;
            }
        }
        Ok(Surface::of_shapes(&shapes).map(Arc::new))
    }

    fn shape(&self, node: &Node) -> Result<Found> {
        let shape = node.children().find(Node::is_element);
        let shape = shape.ok_or_else(|| self.fail(node, "<geometry> is empty"))?;
        let size = |key: &str| -> Result<f64> {
            match self.number(&shape, key)? {
                Some(x) if SIZES.contains(&x) => Ok(x),
                _ => Err(self.fail(&shape, &format!("needs a positive {key}"))),
            }
        };
        let found = match shape.tag_name().name() {
            "box" => match self.numbers(&shape, "size")? {
                Some(size) if size.iter().all(|s| SIZES.contains(s)) => Shape::Box(size),
                _ => return Err(self.fail(&shape, "needs a positive size")),
            },
            "cylinder" => Shape::Cylinder {
                radius: size("radius")?,
                length: size("length")?,
            },
            "capsule" => Shape::Capsule {
                radius: size("radius")?,
                length: size("length")?,
            },
            "sphere" => Shape::Sphere {
                radius: size("radius")?,
            },
            "mesh" => {
                let filename = self.attribute(&shape, "filename")?;
                let Some(file) = resolve(self.files, self.name, filename) else {
                    return Ok(Found::Missing(filename.to_owned()));
                };
                // URDF is in metres whatever the mesh format; `scale` says otherwise.
                let convention = MeshConvention {
                    unit: LengthUnit::M,
                    up: UpAxis::Z,
                };
                let mesh = read_mesh(self.files, &file, convention, self.name)?.mesh;
                let [x, y, z] = self.numbers(&shape, "scale")?.unwrap_or([1.0; 3]);
                let scaled = scaled(&mesh, [x, y, z])
                    .ok_or_else(|| self.fail(&shape, "the scale leaves nothing of the mesh"))?;
                Shape::Mesh(scaled)
            }
            other => {
                return Err(self.fail(&shape, &format!("<{other}> is not a shape that is read")));
            }
        };
        Ok(Found::Shape(found))
    }

    fn origin(&self, node: &Node) -> Result<Pose> {
        let Some(origin) = child(node, "origin") else {
            return Ok(Pose::identity());
        };
        let xyz = self.numbers(&origin, "xyz")?.unwrap_or_default();
        let rpy = self.numbers(&origin, "rpy")?.unwrap_or_default();
        Ok(pose_from_rpy(xyz, rpy))
    }

    fn attribute<'n>(&self, node: &Node<'n, '_>, key: &str) -> Result<&'n str> {
        node.attribute(key).ok_or_else(|| {
            self.fail(
                node,
                &format!("<{}> has no {key}=\"…\"", node.tag_name().name()),
            )
        })
    }

    fn number(&self, node: &Node, key: &str) -> Result<Option<f64>> {
        node.attribute(key)
            .map(|text| self.parse(node, key, text))
            .transpose()
    }

    fn numbers(&self, node: &Node, key: &str) -> Result<Option<[f64; 3]>> {
        let Some(text) = node.attribute(key) else {
            return Ok(None);
        };
        let numbers = text
            .split_whitespace()
            .map(|t| self.parse(node, key, t))
            .collect::<Result<Vec<_>>>()?;
        let three = <[f64; 3]>::try_from(numbers)
            .map_err(|_| self.fail(node, &format!("{key} needs three numbers, not \"{text}\"")))?;
        Ok(Some(three))
    }

    fn parse(&self, node: &Node, key: &str, text: &str) -> Result<f64> {
        match text.trim().parse::<f64>() {
            Ok(x) if x.abs() < 1e9 => Ok(x),
            _ => Err(self.fail(
                node,
                &format!("{key} is \"{text}\", which is not a usable number"),
            )),
        }
    }

    fn fail(&self, node: &Node, message: &str) -> FormatError {
        let row = self.document.text_pos_at(node.range().start).row;
        FormatError::at(self.name, format!("line {row}"), message)
    }
}

/// A mesh path of the package: relative to the URDF, or `package://name/…` found below it, or else the only
/// file whose path ends like it.
fn resolve(files: &PackageFiles, urdf: &str, filename: &str) -> Option<String> {
    let folder = urdf.rsplit_once('/').map_or("", |(f, _)| f);
    let plain = filename
        .strip_prefix("package://")
        .or(filename.strip_prefix("file://"))
        .unwrap_or(filename);
    let plain = plain.replace('\\', "/");
    let plain = plain.as_str();
    let beside = if folder.is_empty() {
        plain.to_owned()
    } else {
        format!("{folder}/{plain}")
    };
    let inside = plain.split_once('/').map_or(plain, |(_, rest)| rest);
    let candidates = [
        flat(&beside),
        flat(plain),
        flat(inside),
        flat(&format!("{folder}/{inside}")),
    ];
    if let Some(found) = candidates.into_iter().flatten().find(|c| files.contains(c)) {
        return Some(found);
    }
    let parts: Vec<&str> = plain
        .split('/')
        .filter(|p| !matches!(*p, "" | "." | ".."))
        .collect();
    (0..parts.len()).find_map(|skipped| {
        let end = parts[skipped..].join("/");
        let mut like = files.iter().map(|(name, _)| name).filter(|name| {
            name.strip_suffix(end.as_str())
                .is_some_and(|before| before.is_empty() || before.ends_with('/'))
        });
        like.next()
            .filter(|_| like.next().is_none())
            .map(str::to_owned)
    })
}

/// The mesh files that the URDF file `name` names, to be seen or for collisions, and where among `files` they are, if
/// anywhere.
///
/// # Errors
/// [`FormatError`] when the URDF can't be read as XML.
pub fn meshes_of(files: &PackageFiles, name: &str) -> Result<Vec<(String, Option<String>)>> {
    let bytes = files.get(name, "the import")?;
    let document = parsed(name, &bytes)?;
    let mut meshes: Vec<(String, Option<String>)> = Vec::new();
    let named = document.descendants().filter(|n| n.has_tag_name("mesh"));
    for filename in named.filter_map(|m| m.attribute("filename")) {
        if !meshes.iter().any(|(known, _)| known == filename) {
            meshes.push((filename.to_owned(), resolve(files, name, filename)));
        }
    }
    Ok(meshes)
}

/// How many links of the URDF file `name` have geometry both to be seen and for collisions.
///
/// # Errors
/// [`FormatError`] when the URDF can't be read as XML.
pub fn links_with_both(files: &PackageFiles, name: &str) -> Result<usize> {
    let bytes = files.get(name, "the import")?;
    let document = parsed(name, &bytes)?;
    let links = document.descendants().filter(|n| n.has_tag_name("link"));
    let both = |link: &Node| {
        ["visual", "collision"]
            .iter()
            .all(|kind| child(link, kind).is_some())
    };
    Ok(links.filter(both).count())
}

fn child<'a, 'i>(node: &Node<'a, 'i>, tag: &str) -> Option<Node<'a, 'i>> {
    node.children().find(|c| c.has_tag_name(tag))
}

fn children<'a, 'i>(node: &Node<'a, 'i>, tag: &'static str) -> impl Iterator<Item = Node<'a, 'i>> {
    node.children().filter(move |node| node.has_tag_name(tag))
}

/// The path without `.` and `..`; `None` if it leads out.
fn flat(path: &str) -> Option<String> {
    let mut parts: Vec<&str> = Vec::new();
    for part in path.split('/') {
        match part {
            "" | "." => {}
            ".." => {
                parts.pop()?;
            }
            part => parts.push(part),
        }
    }
    Some(parts.join("/"))
}

fn scaled(mesh: &TriangleMesh, scale: [f64; 3]) -> Option<TriangleMesh> {
    if scale == [1.0; 3] {
        return Some(mesh.clone());
    }
    let vertices: Vec<_> = mesh
        .vertices()
        .iter()
        .map(|v| selvik_core::spatial::Point::new(v.x * scale[0], v.y * scale[1], v.z * scale[2]))
        .collect();
    let mirrored = scale.iter().product::<f64>() < 0.0;
    let turn = |&[a, b, c]: &[u32; 3]| if mirrored { [a, c, b] } else { [a, b, c] };
    let triangles: Vec<[u32; 3]> = mesh.triangles().iter().map(turn).collect();
    TriangleMesh::from_indexed(&vertices, &triangles)
        .ok()
        .map(|w| w.mesh)
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    const ARM: &str = r#"<robot name="arm">
  <link name="base"><visual><geometry><box size="0.2 0.2 0.1"/></geometry></visual></link>
  <link name="slide"/>
  <joint name="j1" type="prismatic">
    <parent link="base"/><child link="slide"/>
    <origin xyz="0 0 0.05" rpy="0 0 1.5707963267948966"/><axis xyz="1 0 0"/>
    <limit lower="-0.5" upper="0.5" velocity="1.0" effort="0"/>
  </joint>
</robot>"#;

    fn read(text: &str) -> Result<Mechanism> {
        let mut files = PackageFiles::default();
        files.insert("arm.urdf", text.as_bytes().to_vec()).unwrap();
        read_urdf(&files, "arm.urdf", LinkGeometry::Visual, "a test")
    }

    #[test]
    fn links_joints_limits_and_shapes_are_read() {
        let arm = read(ARM).unwrap();
        let pose = arm.forward(&[0.3])[arm.link("slide").unwrap()];
        assert!((pose.translation.vector - Vector::new(0.0, 0.3, 0.05)).norm() < 1e-12);
        assert_eq!(arm.joints()[0].limits.velocity, 1.0);
        assert!(arm.links()[0].surface.is_some() && arm.links()[1].surface.is_none());
    }

    #[rstest::rstest]
    #[case::no_such_link(ARM.replace("child link=\"slide\"", "child link=\"slid\""), "line 5", "no link \"slid\"")]
    #[case::limits_crossed(ARM.replace("lower=\"-0.5\"", "lower=\"0.6\""), "line 7", "above upper")]
    #[case::not_a_number(ARM.replace("0 0 0.05", "0 0 NaN"), "line 6", "not a usable number")]
    #[case::too_large(ARM.replace("0 0 0.05", "0 0 1e308"), "line 6", "not a usable number")]
    #[case::two_numbers(ARM.replace("0 0 0.05", "0 0"), "line 6", "three numbers")]
    #[case::mimics_nobody(ARM.replace("<axis", "<mimic joint=\"j7\"/><axis"), "line 1", "\"j7\", which is not there")]
    #[case::mimics_itself(ARM.replace("<axis", "<mimic joint=\"j1\"/><axis"), "line 1", "follows it in turn")]
    #[case::planar(ARM.replace("prismatic", "planar"), "line 4", "only fixed")]
    #[case::cut_off(ARM[..200].to_owned(), "line", "well-formed")]
    #[case::circle(ARM.replace("</robot>", "<joint name=\"j2\" type=\"fixed\"><parent link=\"slide\"/><child link=\"base\"/></joint></robot>"), "line 1", "every link is moved")]
    fn what_is_wrong_is_refused_with_its_line(
        #[case] text: String,
        #[case] place: &str,
        #[case] says: &str,
    ) {
        let error = read(&text).unwrap_err().to_string();
        assert!(error.contains(place) && error.contains(says), "{error}");
    }

    #[rstest::rstest]
    #[case::nowhere("package://a/b.stl", false)]
    #[case::leading_out("../../etc/x.stl", false)]
    #[case::of_an_unnamed_package("package:///meshes/part.ply", true)]
    #[case::absolute("/home/someone/work/meshes/part.ply", true)]
    #[case::as_a_file("file:///home/someone/meshes/part.ply", true)]
    #[case::with_strokes_the_other_way("C:\\work\\meshes\\part.ply", true)]
    fn meshes_are_found_by_how_their_path_ends_or_noted(
        #[case] filename: &str,
        #[case] found: bool,
    ) {
        let text = ARM.replace(
            "<box size=\"0.2 0.2 0.1\"/>",
            &format!("<mesh filename=\"{filename}\"/>"),
        );
        let mut files = PackageFiles::default();
        files.insert("arm.urdf", text.into_bytes()).unwrap();
        let ply = "ply\nformat ascii 1.0\nelement vertex 3\nproperty float x\nproperty float y\nproperty float z\n\
            element face 1\nproperty list uchar int vertex_indices\nend_header\n0 0 0\n1 0 0\n0 1 0\n3 0 1 2\n";
        files
            .insert("deep/meshes/part.ply", ply.as_bytes().to_vec())
            .unwrap();
        let arm = read_urdf(&files, "arm.urdf", LinkGeometry::Visual, "a test").unwrap();
        assert_eq!(arm.links()[0].surface.is_some(), found);
        assert_eq!(arm.links()[0].missing.is_empty(), found);
    }

    /// The second joint goes twice as far the other way, and as little as the first may because of it.
    #[test]
    fn a_joint_that_mimics_follows() {
        let second = r#"<link name="jaw"/><joint name="j2" type="prismatic"><parent link="base"/><child link="jaw"/>
            <axis xyz="0 1 0"/><mimic joint="j1" multiplier="-2" offset="0.1"/>
            <limit lower="-0.5" upper="0.3" velocity="0.5"/></joint></robot>"#;
        let arm = read(&ARM.replace("</robot>", second)).unwrap();
        let jaw = arm.forward(&[0.2])[arm.link("jaw").unwrap()];
        assert!((jaw.translation.vector - Vector::new(0.0, -0.3, 0.0)).norm() < 1e-12);
        let limits = arm.joints()[0].limits;
        assert!(
            (limits.position.low() + 0.1).abs() < 1e-12
                && (limits.position.high() - 0.3).abs() < 1e-12
        );
        assert_eq!(limits.velocity, 0.25);
    }

    /// The second joint goes as far the other way, but is written to go the same way only.
    #[test]
    fn limits_of_a_follower_that_leave_no_way_to_go_count_for_nothing() {
        let second = r#"<link name="jaw"/><joint name="j2" type="prismatic"><parent link="base"/><child link="jaw"/>
            <axis xyz="0 1 0"/><mimic joint="j1" multiplier="-1"/>
            <limit lower="0" upper="0.5" velocity="0.5"/></joint></robot>"#;
        let text = ARM
            .replace("</robot>", second)
            .replace("lower=\"-0.5\"", "lower=\"0\"");
        let limits = read(&text).unwrap().joints()[0].limits.position;
        assert_eq!((limits.low(), limits.high()), (0.0, 0.5));
    }

    #[rstest::rstest]
    #[case::of_nothing("velocity=\"0\"", false, true)]
    #[case::left_out("", false, true)]
    #[case::of_no_machine("velocity=\"1e16\"", false, true)]
    #[case::without_ends("lower=\"-1e16\" upper=\"1e16\" velocity=\"2\"", true, false)]
    fn limits_that_say_nothing_count_as_not_stated(
        #[case] limit: &str,
        #[case] speed: bool,
        #[case] ends: bool,
    ) {
        let limit = if ends {
            format!("lower=\"-0.5\" upper=\"0.5\" {limit}")
        } else {
            limit.to_owned()
        };
        let text = ARM.replace("lower=\"-0.5\" upper=\"0.5\" velocity=\"1.0\"", &limit);
        let stated = read(&text).unwrap().joints()[0].limits.stated;
        assert_eq!((stated.velocity, stated.position), (speed, ends));
    }

    #[test]
    fn a_billion_laughs_are_refused() {
        let mut text = String::from("<!DOCTYPE r [<!ENTITY a0 \"ha\">");
        for i in 1..40 {
            text += &format!("<!ENTITY a{i} \"{}\">", format!("&a{};", i - 1).repeat(10));
        }
        text += "]><robot name=\"&a39;\"><link name=\"l\"/></robot>";
        assert!(read(&text).is_err());
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(1000))]
        #[test]
        fn damaged_files_never_crash(at in 0usize..10_000, with in any::<u8>()) {
            let mut bytes = ARM.as_bytes().to_vec();
            let at = at % bytes.len();
            bytes[at] = with;
            let mut files = PackageFiles::default();
            files.insert("arm.urdf", bytes).unwrap();
            let _ = read_urdf(&files, "arm.urdf", LinkGeometry::Visual, "a test");
        }
    }
}
