//! URDF: links, joints, visual geometry and limits.

use std::collections::HashMap;
use std::sync::Arc;

use nalgebra::Unit;
use roxmltree::{Document, Node};
use selvik_core::mesh::{Surface, TriangleMesh, box_mesh, cylinder_mesh, sphere_mesh};
use selvik_core::robot::{Joint, JointKind, JointLimits, Link, Mechanism, Span};
use selvik_core::spatial::{Pose, Vector, pose_from_rpy};

use crate::mesh::{MeshConvention, read_mesh};
use crate::package::{LengthUnit, PackageFiles, UpAxis};
use crate::xml::parsed;
use crate::{FormatError, Result};

/// Facets of a round primitive.
pub(crate) const FACETS: usize = 48;

/// Reads the URDF file `name` of a package with the meshes it names.
///
/// The geometry of a link is its `visual` (its `collision` where it has none): what is seen is what
/// is measured. Joint types `fixed`, `revolute`, `continuous` and `prismatic` are read; a joint that
/// mimics another, floats or slides in a plane is refused.
///
/// # Errors
/// [`FormatError`] with the line.
pub fn read_urdf(files: &PackageFiles, name: &str, wanted_by: &str) -> Result<Mechanism> {
    let document = parsed(name, files.get(name, wanted_by)?)?;
    Reader { files, name, document: &document }.read()
}

struct Reader<'a> {
    files: &'a PackageFiles,
    name: &'a str,
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
            let surface = self.surface(&node)?.map(|m| Arc::new(Surface::new(m)));
            links.push(Link { name: name.to_owned(), surface });
        }
        let joints = children(&robot, "joint").map(|n| self.joint(&n, &index)).collect::<Result<Vec<_>>>()?;
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
        if let Some(mimic) = child(node, "mimic") {
            let message = format!("joint \"{name}\" mimics another, which is not read");
            return Err(self.fail(&mimic, &message));
        }
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
            Unit::try_new(axis, 1e-9)
                .ok_or_else(|| self.fail(node, &format!("the axis of joint \"{name}\" has no direction")))?
        } else {
            Vector::x_axis()
        };
        Ok(Joint {
            parent: link("parent")?,
            child: link("child")?,
            origin: self.origin(node)?,
            axis,
            limits: self.limits(node, &name, kind)?,
            name,
            kind,
        })
    }

    fn limits(&self, node: &Node, name: &str, kind: JointKind) -> Result<JointLimits> {
        let mut limits = JointLimits::default();
        let Some(limit) = child(node, "limit") else {
            if matches!(kind, JointKind::Revolute | JointKind::Prismatic) {
                return Err(self.fail(node, &format!("joint \"{name}\" needs a <limit>")));
            }
            return Ok(limits);
        };
        let number = |key: &str| self.number(&limit, key);
        if matches!(kind, JointKind::Revolute | JointKind::Prismatic) {
            let (low, high) = (number("lower")?.unwrap_or(0.0), number("upper")?.unwrap_or(0.0));
            limits.position = Span::new(low, high).ok_or_else(|| {
                self.fail(&limit, &format!("lower {low} of joint \"{name}\" is above upper {high}"))
            })?;
        }
        if let Some(velocity) = number("velocity")? {
            if velocity <= 0.0 && kind.moves() {
                return Err(self.fail(&limit, &format!("velocity of joint \"{name}\" must be positive")));
            }
            limits.velocity = velocity;
        }
        Ok(limits)
    }

    fn surface(&self, link: &Node) -> Result<Option<TriangleMesh>> {
        let mut meshes = Vec::new();
        for kind in ["visual", "collision"] {
            for part in children(link, kind) {
                let Some(geometry) = child(&part, "geometry") else { continue };
                meshes.push(self.geometry(&geometry)?.moved(&self.origin(&part)?));
            }
            if !meshes.is_empty() {
                break;
            }
        }
        Ok((!meshes.is_empty()).then(|| TriangleMesh::merged(meshes)))
    }

    fn geometry(&self, node: &Node) -> Result<TriangleMesh> {
        let shape = node.children().find(Node::is_element);
        let shape = shape.ok_or_else(|| self.fail(node, "<geometry> is empty"))?;
        let size = |key: &str| -> Result<f64> {
            match self.number(&shape, key)? {
                Some(x) if x > 0.0 => Ok(x),
                _ => Err(self.fail(&shape, &format!("needs a positive {key}"))),
            }
        };
        match shape.tag_name().name() {
            "box" => match self.numbers(&shape, "size")? {
                Some(size) if size.iter().all(|&s| s > 0.0) => Ok(box_mesh(size)),
                _ => Err(self.fail(&shape, "needs a positive size")),
            },
            "cylinder" => Ok(cylinder_mesh(size("radius")?, size("length")?, FACETS)),
            "sphere" => Ok(sphere_mesh(size("radius")?, FACETS)),
            "mesh" => {
                let file = self.resolve(&shape, self.attribute(&shape, "filename")?)?;
                // URDF is in metres whatever the mesh format; `scale` says otherwise.
                let convention = MeshConvention { unit: LengthUnit::M, up: UpAxis::Z };
                let mesh = read_mesh(self.files, &file, convention, self.name)?.mesh;
                let [x, y, z] = self.numbers(&shape, "scale")?.unwrap_or([1.0; 3]);
                scaled(&mesh, [x, y, z])
                    .ok_or_else(|| self.fail(&shape, "the scale leaves nothing of the mesh"))
            }
            other => Err(self.fail(&shape, &format!("<{other}> is not a shape that is read"))),
        }
    }

    fn resolve(&self, node: &Node, filename: &str) -> Result<String> {
        resolve(self.files, self.name, filename).ok_or_else(|| {
            self.fail(node, &format!("mesh \"{filename}\" is not in the package; add it beside the URDF"))
        })
    }

    fn origin(&self, node: &Node) -> Result<Pose> {
        let Some(origin) = child(node, "origin") else { return Ok(Pose::identity()) };
        let xyz = self.numbers(&origin, "xyz")?.unwrap_or_default();
        let rpy = self.numbers(&origin, "rpy")?.unwrap_or_default();
        Ok(pose_from_rpy(xyz, rpy))
    }

    fn attribute<'n>(&self, node: &Node<'n, '_>, key: &str) -> Result<&'n str> {
        node.attribute(key)
            .ok_or_else(|| self.fail(node, &format!("<{}> has no {key}=\"…\"", node.tag_name().name())))
    }

    fn number(&self, node: &Node, key: &str) -> Result<Option<f64>> {
        node.attribute(key).map(|text| self.parse(node, key, text)).transpose()
    }

    fn numbers(&self, node: &Node, key: &str) -> Result<Option<[f64; 3]>> {
        let Some(text) = node.attribute(key) else { return Ok(None) };
        let numbers =
            text.split_whitespace().map(|t| self.parse(node, key, t)).collect::<Result<Vec<_>>>()?;
        let three = <[f64; 3]>::try_from(numbers)
            .map_err(|_| self.fail(node, &format!("{key} needs three numbers, not \"{text}\"")))?;
        Ok(Some(three))
    }

    fn parse(&self, node: &Node, key: &str, text: &str) -> Result<f64> {
        match text.trim().parse::<f64>() {
            Ok(x) if x.abs() < 1e9 => Ok(x),
            _ => Err(self.fail(node, &format!("{key} is \"{text}\", which is not a usable number"))),
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
    let plain = filename.strip_prefix("package://").or(filename.strip_prefix("file://")).unwrap_or(filename);
    let beside = if folder.is_empty() { plain.to_owned() } else { format!("{folder}/{plain}") };
    let inside = plain.split_once('/').map_or(plain, |(_, rest)| rest);
    let candidates = [flat(&beside), flat(plain), flat(inside), flat(&format!("{folder}/{inside}"))];
    if let Some(found) = candidates.into_iter().flatten().find(|c| files.contains(c)) {
        return Some(found);
    }
    let parts: Vec<&str> = plain.split('/').filter(|p| !matches!(*p, "" | "." | "..")).collect();
    (0..parts.len()).find_map(|skipped| {
        let end = parts[skipped..].join("/");
        let mut like = files.iter().map(|(name, _)| name).filter(|name| {
            name.strip_suffix(end.as_str()).is_some_and(|before| before.is_empty() || before.ends_with('/'))
        });
        like.next().filter(|_| like.next().is_none()).map(str::to_owned)
    })
}

/// The mesh files that the URDF file `name` names, and where among `files` they are, if anywhere.
///
/// # Errors
/// [`FormatError`] when the URDF can't be read as XML.
pub(crate) fn meshes_of(files: &PackageFiles, name: &str) -> Result<Vec<(String, Option<String>)>> {
    let document = parsed(name, files.get(name, "the import")?)?;
    let mut meshes: Vec<(String, Option<String>)> = Vec::new();
    let named = document.descendants().filter(|n| n.has_tag_name("mesh"));
    // Where a link is seen, its collision shape is not read.
    let read = named.filter(|mesh| {
        let link = mesh.ancestors().find(|a| a.has_tag_name("link"));
        let seen = link.is_some_and(|l| child(&l, "visual").is_some());
        !seen || mesh.ancestors().any(|a| a.has_tag_name("visual"))
    });
    for filename in read.filter_map(|m| m.attribute("filename")) {
        if !meshes.iter().any(|(known, _)| known == filename) {
            meshes.push((filename.to_owned(), resolve(files, name, filename)));
        }
    }
    Ok(meshes)
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
    TriangleMesh::from_indexed(&vertices, &triangles).ok().map(|w| w.mesh)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

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
        read_urdf(&files, "arm.urdf", "a test")
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
    #[case::missing_mesh(ARM.replace("<box size=\"0.2 0.2 0.1\"/>", "<mesh filename=\"package://a/b.stl\"/>"), "line 2", "b.stl")]
    #[case::path_leading_out(ARM.replace("<box size=\"0.2 0.2 0.1\"/>", "<mesh filename=\"../../etc/x.stl\"/>"), "line 2", "not in the package")]
    #[case::planar(ARM.replace("prismatic", "planar"), "line 4", "only fixed")]
    #[case::cut_off(ARM[..200].to_owned(), "line", "well-formed")]
    #[case::circle(ARM.replace("</robot>", "<joint name=\"j2\" type=\"fixed\"><parent link=\"slide\"/><child link=\"base\"/></joint></robot>"), "line 1", "every link is moved")]
    fn what_is_wrong_is_refused_with_its_line(#[case] text: String, #[case] place: &str, #[case] says: &str) {
        let error = read(&text).unwrap_err().to_string();
        assert!(error.contains(place) && error.contains(says), "{error}");
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
            let _ = read_urdf(&files, "arm.urdf", "a test");
        }
    }
}
