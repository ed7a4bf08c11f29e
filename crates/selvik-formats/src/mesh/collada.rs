//! COLLADA 1.4 and 1.5 (Khronos): the triangles of its visual scene.

use std::collections::HashMap;

use nalgebra::{Matrix4, Rotation3, Unit, Vector3};
use roxmltree::{Document, Node};
use selvik_core::mesh::{TriangleMesh, Welded};
use selvik_core::spatial::Point;

use crate::xml::parsed;
use crate::{FormatError, Result};

/// No file has more triangles or node visits than this.
const MOST: usize = 50_000_000;
/// Nodes hang no deeper in each other than this.
const DEEPEST: usize = 100;

/// Reads all triangles and polygons of the visual scene, in metres, Z up, as the file's own `<unit>` and
/// `<up_axis>` say. Materials, lights, skins and animations are left aside.
///
/// # Errors
/// [`FormatError`] with the line.
pub fn read_collada(name: &str, bytes: &[u8]) -> Result<Welded> {
    let document = parsed(name, bytes)?;
    let root = document.root_element();
    if root.tag_name().name() != "COLLADA" {
        return Err(FormatError::at(
            name,
            "line 1",
            "the outermost element must be <COLLADA>",
        ));
    }
    let by_id = document
        .descendants()
        .filter_map(|n| n.attribute("id").map(|id| (id, n)))
        .collect();
    let mut reader = Reader {
        name,
        document: &document,
        by_id,
        soup: Vec::new(),
        visits: 0,
    };
    let upright = reader.upright(&root)?;
    match find(&root, &["scene", "instance_visual_scene"]) {
        Some(instance) => {
            let scene = reader.named(&instance)?;
            for node in children(&scene, "node") {
                reader.visit(&node, &upright, 0)?;
            }
        }
        None => {
            let libraries = children(&root, "library_geometries");
            for geometry in libraries.flat_map(|l| children(&l, "geometry").collect::<Vec<_>>()) {
                reader.geometry(&geometry, &upright)?;
            }
        }
    }
    TriangleMesh::from_soup(reader.soup).map_err(|e| FormatError::file(name, e))
}

struct Reader<'a, 'i> {
    name: &'a str,
    document: &'a Document<'i>,
    by_id: HashMap<&'a str, Node<'a, 'i>>,
    soup: Vec<[Point; 3]>,
    visits: usize,
}

/// One list that the indices of a primitive step through.
struct Input<'a> {
    semantic: &'a str,
    source: &'a str,
    offset: usize,
}

impl<'a, 'i> Reader<'a, 'i> {
    /// The turn and scale from the file's axes and unit to metres, Z up.
    fn upright(&self, root: &Node<'a, 'i>) -> Result<Matrix4<f64>> {
        let unit = find(root, &["asset", "unit"]);
        let metres = match unit.and_then(|u| u.attribute("meter")) {
            Some(text) => self.number(&unit.expect("has an attribute"), text)?,
            None => 1.0,
        };
        if metres <= 0.0 {
            return Err(self.fail(
                &unit.unwrap_or(*root),
                "the unit must be a positive number of metres",
            ));
        }
        let axes = match find(root, &["asset", "up_axis"])
            .and_then(|u| u.text())
            .map(str::trim)
        {
            Some("Z_UP") => Matrix4::identity(),
            Some("X_UP") => {
                Rotation3::from_axis_angle(&Vector3::y_axis(), -std::f64::consts::FRAC_PI_2)
                    .to_homogeneous()
            }
            _ => Rotation3::from_axis_angle(&Vector3::x_axis(), std::f64::consts::FRAC_PI_2)
                .to_homogeneous(),
        };
        Ok(axes * Matrix4::new_scaling(metres))
    }

    fn visit(&mut self, node: &Node<'a, 'i>, above: &Matrix4<f64>, depth: usize) -> Result<()> {
        self.visits += 1;
        if depth > DEEPEST || self.visits > MOST / 100 {
            return Err(self.fail(node, "nodes hang in a circle, or too deep in each other"));
        }
        let mut matrix = *above;
        for part in node.children().filter(Node::is_element) {
            if let Some(own) = self.transform(&part)? {
                matrix *= own;
                continue;
            }
            match part.tag_name().name() {
                "instance_geometry" => {
                    let geometry = self.named(&part)?;
                    self.geometry(&geometry, &matrix)?;
                }
                "instance_node" => {
                    let other = self.named(&part)?;
                    self.visit(&other, &matrix, depth + 1)?;
                }
                "node" => self.visit(&part, &matrix, depth + 1)?,
                _ => {}
            }
        }
        Ok(())
    }

    fn transform(&self, part: &Node<'a, 'i>) -> Result<Option<Matrix4<f64>>> {
        let wanted = match part.tag_name().name() {
            "matrix" => 16,
            "rotate" => 4,
            "translate" | "scale" => 3,
            _ => return Ok(None),
        };
        let n = self.numbers(part)?;
        if n.len() != wanted {
            return Err(self.fail(part, &format!("needs {wanted} numbers, not {}", n.len())));
        }
        Ok(Some(match part.tag_name().name() {
            "matrix" => Matrix4::from_row_slice(&n),
            "translate" => Matrix4::new_translation(&Vector3::new(n[0], n[1], n[2])),
            "scale" => Matrix4::new_nonuniform_scaling(&Vector3::new(n[0], n[1], n[2])),
            _ => match Unit::try_new(Vector3::new(n[0], n[1], n[2]), 1e-12) {
                Some(axis) => Rotation3::from_axis_angle(&axis, n[3].to_radians()).to_homogeneous(),
                None => Matrix4::identity(),
            },
        }))
    }

    fn geometry(&mut self, geometry: &Node<'a, 'i>, matrix: &Matrix4<f64>) -> Result<()> {
        let Some(mesh) = child(geometry, "mesh") else {
            return Ok(());
        };
        for primitive in mesh.children().filter(Node::is_element) {
            match primitive.tag_name().name() {
                "triangles" | "polylist" | "polygons" | "trifans" | "tristrips" => {
                    self.primitive(&primitive, matrix)?;
                }
                _ => {}
            }
        }
        Ok(())
    }

    fn primitive(&mut self, primitive: &Node<'a, 'i>, matrix: &Matrix4<f64>) -> Result<()> {
        let inputs = children(primitive, "input")
            .map(|n| self.input(&n))
            .collect::<Result<Vec<_>>>()?;
        let vertex = inputs.iter().find(|i| i.semantic == "VERTEX");
        let vertex = vertex.ok_or_else(|| self.fail(primitive, "has no VERTEX input"))?;
        let stride = inputs.iter().map(|i| i.offset + 1).max().unwrap_or(1);
        let points = self.points(primitive, vertex, matrix)?;
        let kind = primitive.tag_name().name();
        let lists = children(primitive, "p")
            .chain(children(primitive, "ph").filter_map(|h| child(&h, "p")));
        for list in lists.collect::<Vec<_>>() {
            let indices = self.indices(&list)?;
            let mut corners = Vec::with_capacity(indices.len() / stride);
            for tuple in indices.chunks_exact(stride) {
                let at = tuple[vertex.offset];
                let point = points.get(at).ok_or_else(|| {
                    self.fail(
                        &list,
                        &format!("names vertex {at}, but there are only {}", points.len()),
                    )
                })?;
                corners.push(*point);
            }
            match kind {
                "triangles" => self
                    .soup
                    .extend(corners.chunks_exact(3).map(|c| [c[0], c[1], c[2]])),
                "tristrips" => self
                    .soup
                    .extend(corners.windows(3).enumerate().map(|(i, c)| {
                        if i % 2 == 0 {
                            [c[0], c[1], c[2]]
                        } else {
                            [c[1], c[0], c[2]]
                        }
                    })),
                "polylist" => {
                    let counts = child(primitive, "vcount")
                        .map(|v| self.indices(&v))
                        .transpose()?;
                    let counts = counts.ok_or_else(|| self.fail(primitive, "has no <vcount>"))?;
                    let mut rest = corners.as_slice();
                    for count in counts {
                        let (polygon, after) = rest.split_at_checked(count).ok_or_else(|| {
                            self.fail(primitive, "<vcount> asks for more corners than <p> has")
                        })?;
                        fan(polygon, &mut self.soup);
                        rest = after;
                    }
                }
                _ => fan(&corners, &mut self.soup),
            }
            if self.soup.len() > MOST {
                return Err(self.fail(&list, "the file has more than 50 million triangles"));
            }
        }
        Ok(())
    }

    fn input(&self, node: &Node<'a, 'i>) -> Result<Input<'a>> {
        let offset = match node.attribute("offset").unwrap_or("0").parse::<usize>() {
            Ok(offset) if offset < 64 => offset,
            _ => return Err(self.fail(node, "offset is not a usable number")),
        };
        let semantic = node.attribute("semantic").unwrap_or_default();
        let source = node.attribute("source").unwrap_or_default();
        Ok(Input {
            semantic,
            source,
            offset,
        })
    }

    /// The positions that a VERTEX input leads to, moved by `matrix`.
    fn points(
        &self,
        at: &Node<'a, 'i>,
        vertex: &Input<'a>,
        matrix: &Matrix4<f64>,
    ) -> Result<Vec<Point>> {
        let vertices = self.referred(at, vertex.source)?;
        let position =
            children(&vertices, "input").find(|i| i.attribute("semantic") == Some("POSITION"));
        let position = position.ok_or_else(|| self.fail(&vertices, "has no POSITION input"))?;
        let source = self.referred(&position, position.attribute("source").unwrap_or_default())?;
        let array = child(&source, "float_array");
        let numbers =
            self.numbers(&array.ok_or_else(|| self.fail(&source, "has no <float_array>"))?)?;
        let accessor = find(&source, &["technique_common", "accessor"]);
        let said = |key: &str, or: usize| -> Result<usize> {
            match accessor.and_then(|a| a.attribute(key)) {
                Some(text) => text
                    .parse()
                    .map_err(|_| self.fail(&source, &format!("{key} is not a number"))),
                None => Ok(or),
            }
        };
        let (stride, offset) = (said("stride", 3)?, said("offset", 0)?);
        let count = said("count", numbers.len() / stride.max(1))?;
        let needed = count
            .checked_mul(stride)
            .and_then(|n| n.checked_add(offset));
        if stride < 3 || needed.is_none_or(|n| n > numbers.len()) {
            return Err(self.fail(&source, "its accessor asks for more numbers than it has"));
        }
        let triples = numbers[offset..].chunks_exact(stride).take(count);
        Ok(triples
            .map(|c| matrix.transform_point(&Point::new(c[0], c[1], c[2])))
            .collect())
    }

    fn named(&self, node: &Node<'a, 'i>) -> Result<Node<'a, 'i>> {
        self.referred(node, node.attribute("url").unwrap_or_default())
    }

    fn referred(&self, at: &Node<'a, 'i>, url: &str) -> Result<Node<'a, 'i>> {
        let found = url
            .strip_prefix('#')
            .and_then(|id| self.by_id.get(id))
            .copied();
        found.ok_or_else(|| {
            self.fail(
                at,
                &format!("refers to \"{url}\", which is not in the file"),
            )
        })
    }

    fn numbers(&self, node: &Node<'a, 'i>) -> Result<Vec<f64>> {
        node.text()
            .unwrap_or_default()
            .split_ascii_whitespace()
            .map(|t| self.number(node, t))
            .collect()
    }

    fn number(&self, node: &Node<'a, 'i>, text: &str) -> Result<f64> {
        match text.parse::<f64>() {
            Ok(x) if x.abs() < 1e12 => Ok(x),
            _ => Err(self.fail(node, &format!("\"{text}\" is not a usable number"))),
        }
    }

    fn indices(&self, node: &Node<'a, 'i>) -> Result<Vec<usize>> {
        let words = node.text().unwrap_or_default().split_ascii_whitespace();
        let read = words.map(|t| {
            t.parse()
                .map_err(|_| self.fail(node, &format!("\"{t}\" is not an index")))
        });
        read.collect()
    }

    fn fail(&self, node: &Node<'a, 'i>, message: &str) -> FormatError {
        let row = self.document.text_pos_at(node.range().start).row;
        FormatError::at(
            self.name,
            format!("line {row}, <{}>", node.tag_name().name()),
            message,
        )
    }
}

/// Cuts a convex polygon into triangles.
fn fan(polygon: &[Point], soup: &mut Vec<[Point; 3]>) {
    soup.extend(
        polygon
            .windows(2)
            .skip(1)
            .map(|pair| [polygon[0], pair[0], pair[1]]),
    );
}

fn child<'a, 'i>(node: &Node<'a, 'i>, tag: &str) -> Option<Node<'a, 'i>> {
    node.children().find(|c| c.tag_name().name() == tag)
}

fn children<'a, 'i>(node: &Node<'a, 'i>, tag: &'static str) -> impl Iterator<Item = Node<'a, 'i>> {
    node.children()
        .filter(move |node| node.tag_name().name() == tag)
}

fn find<'a, 'i>(node: &Node<'a, 'i>, path: &[&str]) -> Option<Node<'a, 'i>> {
    path.iter().try_fold(*node, |at, tag| child(&at, tag))
}

#[cfg(test)]
mod tests {
    use selvik_core::mesh::{Shells, mass_of};

    use super::*;

    /// A tetrahedron with legs of 1 unit: its volume is a sixth of a cubic unit.
    fn tetrahedron(unit: &str, up: &str, node: &str) -> String {
        format!(
            r##"<COLLADA xmlns="http://www.collada.org/2005/11/COLLADASchema" version="1.4.1">
<asset><unit meter="{unit}"/><up_axis>{up}</up_axis></asset>
<library_geometries><geometry id="g"><mesh>
<source id="p"><float_array id="pa" count="12">0 0 0 1 0 0 0 1 0 0 0 1</float_array>
<technique_common><accessor source="#pa" count="4" stride="3"/></technique_common></source>
<vertices id="v"><input semantic="POSITION" source="#p"/></vertices>
<polylist count="2"><input semantic="VERTEX" source="#v" offset="0"/><input semantic="NORMAL" source="#p" offset="1"/>
<vcount>3 3</vcount><p>0 0 2 0 1 0 0 0 1 0 3 0</p></polylist>
<triangles count="2"><input semantic="VERTEX" source="#v" offset="0"/><p>0 3 2 1 2 3</p></triangles>
</mesh></geometry></library_geometries>
<library_visual_scenes><visual_scene id="s"><node>{node}<instance_geometry url="#g"/></node></visual_scene></library_visual_scenes>
<scene><instance_visual_scene url="#s"/></scene></COLLADA>"##
        )
    }

    #[rstest::rstest]
    #[case("0.001", "Z_UP", "", [0.0, 0.0, 0.0], 1e-3)]
    #[case("0.0254", "Z_UP", "<translate>2 0 0</translate>", [0.0508, 0.0, 0.0], 0.0254)]
    #[case("1", "Y_UP", "<translate>0 2 0</translate><scale>2 2 2</scale>", [0.0, -2.0, 2.0], 2.0)]
    #[case("1", "Z_UP", "<matrix>0 -1 0 5 1 0 0 6 0 0 1 7 0 0 0 1</matrix>", [4.0, 6.0, 7.0], 1.0)]
    fn unit_axes_and_nodes_are_followed(
        #[case] unit: &str,
        #[case] up: &str,
        #[case] node: &str,
        #[case] least: [f64; 3],
        #[case] leg: f64,
    ) {
        let mesh = read_collada("t.dae", tetrahedron(unit, up, node).as_bytes())
            .unwrap()
            .mesh;
        assert!(Shells::of(&mesh).is_closed());
        assert!((mass_of(&mesh).volume - leg.powi(3) / 6.0).abs() < 1e-9 * leg.powi(3));
        assert!(
            (mesh.bounds().min - Point::from(least)).norm() < 1e-9,
            "{:?}",
            mesh.bounds()
        );
    }

    #[rstest::rstest]
    #[case("<p>0 3 2 1 2 3</p>", "<p>0 3 2 1 2 9</p>", "names vertex 9")]
    #[case("1 0 0 0", "1 NaN 0 0", "not a usable number")]
    #[case("url=\"#g\"", "url=\"#h\"", "which is not in the file")]
    #[case("<vcount>3 3</vcount>", "<vcount>3 300</vcount>", "more corners than")]
    #[case(
        "count=\"4\" stride",
        "count=\"4000000000000000000\" stride",
        "more numbers than it has"
    )]
    #[case("</COLLADA>", "", "well-formed")]
    #[case(
        "<instance_geometry url=\"#g\"/></node>",
        "<instance_node url=\"#s\"/></node>",
        "circle"
    )]
    fn what_is_wrong_is_refused_with_its_line(
        #[case] from: &str,
        #[case] to: &str,
        #[case] says: &str,
    ) {
        let text = tetrahedron("1", "Z_UP", "").replace(from, to);
        let error = read_collada("t.dae", text.as_bytes())
            .unwrap_err()
            .to_string();
        assert!(error.contains("line") && error.contains(says), "{error}");
    }
}
