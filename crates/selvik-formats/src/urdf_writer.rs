use std::io;

use quick_xml::Writer;
use quick_xml::events::{BytesDecl, Event};
use selvik_core::robot::{Joint, JointKind, Link, Mechanism, Mimic};
use selvik_core::spatial::rpy_of;

use crate::PackageFiles;
use crate::mesh::{LengthUnit, write_stl};

type Xml = Writer<Vec<u8>>;

/// Writes a mechanism as URDF with a binary STL for each link that has a body, both in metres.
///
/// # Panics
/// Never: all paths are plain, and writing to memory does not fail.
#[must_use]
pub fn write_urdf(name: &str, mechanism: &Mechanism) -> PackageFiles {
    let mut files = PackageFiles::default();
    for (index, link) in mechanism.links().iter().enumerate() {
        if let Some(surface) = &link.surface {
            let stl = write_stl(surface.mesh(), LengthUnit::M);
            files.insert(&mesh_file(index), stl).expect("a plain path");
        }
    }
    let mut xml = Writer::new_with_indent(Vec::new(), b' ', 2);
    xml.write_event(Event::Decl(BytesDecl::new("1.0", Some("UTF-8"), None)))
        .expect("to memory");
    let robot = xml.create_element("robot").with_attribute(("name", name));
    let written = robot.write_inner_content(|xml| {
        mechanism
            .links()
            .iter()
            .enumerate()
            .try_for_each(|(index, link)| write_link(xml, index, link))?;
        mechanism
            .joints()
            .iter()
            .try_for_each(|joint| write_joint(xml, joint, mechanism.links()))
    });
    written.expect("to memory");
    files
        .insert(&format!("{}.urdf", plain(name)), xml.into_inner())
        .expect("a plain path");
    files
}

fn mesh_file(link: usize) -> String {
    format!("meshes/link-{link}.stl")
}

fn write_link(xml: &mut Xml, index: usize, link: &Link) -> io::Result<()> {
    let element = xml
        .create_element("link")
        .with_attribute(("name", link.name.as_str()));
    if link.surface.is_none() {
        return element.write_empty().map(drop);
    }
    let file = mesh_file(index);
    let mesh = |xml: &mut Xml| {
        xml.create_element("mesh")
            .with_attribute(("filename", file.as_str()))
            .write_empty()
            .map(drop)
    };
    let geometry = |xml: &mut Xml| {
        xml.create_element("geometry")
            .write_inner_content(mesh)
            .map(drop)
    };
    let written = element.write_inner_content(|xml| {
        for kind in ["visual", "collision"] {
            xml.create_element(kind).write_inner_content(geometry)?;
        }
        Ok(())
    });
    written.map(drop)
}

fn write_joint(xml: &mut Xml, joint: &Joint, links: &[Link]) -> io::Result<()> {
    let kind = match joint.kind {
        JointKind::Fixed => "fixed",
        JointKind::Revolute => "revolute",
        JointKind::Continuous => "continuous",
        JointKind::Prismatic => "prismatic",
    };
    let element = xml
        .create_element("joint")
        .with_attributes([("name", joint.name.as_str()), ("type", kind)]);
    let written = element.write_inner_content(|xml| {
        for (end, link) in [("parent", joint.parent), ("child", joint.child)] {
            xml.create_element(end)
                .with_attribute(("link", links[link].name.as_str()))
                .write_empty()?;
        }
        let xyz = numbers(joint.origin.translation.vector.as_ref());
        let rpy = numbers(&rpy_of(&joint.origin));
        xml.create_element("origin")
            .with_attributes([("xyz", &*xyz), ("rpy", &*rpy)])
            .write_empty()?;
        if !joint.kind.moves() {
            return Ok(());
        }
        let axis = numbers(joint.axis.as_ref().as_ref());
        xml.create_element("axis")
            .with_attribute(("xyz", &*axis))
            .write_empty()?;
        let span = &joint.limits.position;
        let (lower, upper) = (span.low().to_string(), span.high().to_string());
        let velocity = joint.limits.velocity.to_string();
        if let Some(Mimic { joint, follows }) = &joint.mimics {
            let (ratio, offset) = (follows.ratio.to_string(), follows.offset.to_string());
            let mimic = xml
                .create_element("mimic")
                .with_attribute(("joint", joint.as_str()));
            mimic
                .with_attributes([("multiplier", &*ratio), ("offset", &*offset)])
                .write_empty()?;
        }
        let mut limit = xml
            .create_element("limit")
            .with_attributes([("effort", "0"), ("velocity", &*velocity)]);
        if joint.kind != JointKind::Continuous {
            limit = limit.with_attributes([("lower", &*lower), ("upper", &*upper)]);
        }
        limit.write_empty().map(drop)
    });
    written.map(drop)
}

fn numbers(of: &[f64; 3]) -> String {
    of.map(|x| x.to_string()).join(" ")
}

/// A name that can stand as a file's.
fn plain(name: &str) -> String {
    name.chars()
        .map(|c| {
            if c.is_alphanumeric() || c == '-' {
                c
            } else {
                '_'
            }
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use std::sync::Arc;

    use nalgebra::Unit;
    use selvik_core::mesh::{Surface, box_mesh};
    use selvik_core::robot::{JointLimits, Span, Stated};
    use selvik_core::spatial::{Vector, pose_from_rpy};

    use super::*;
    use crate::{LinkGeometry, read_urdf};

    #[test]
    fn a_mechanism_reads_back_as_it_was_written() {
        let link = |name: &str| {
            Link::new(
                name,
                Some(Arc::new(Surface::new(box_mesh([0.1, 0.2, 0.3])))),
            )
        };
        let joint = |name: &str, kind, parent: usize| Joint {
            name: name.to_owned(),
            kind,
            parent,
            child: parent + 1,
            origin: pose_from_rpy([0.1, -0.2, 0.3], [0.4, -0.5, 0.6]),
            axis: Unit::new_normalize(Vector::new(1.0, 2.0, -3.0)),
            limits: JointLimits {
                position: Span::new(-1.25, 2.5).unwrap(),
                velocity: 1.5,
                stated: Stated {
                    position: true,
                    velocity: true,
                    acceleration: false,
                },
                ..JointLimits::default()
            },
            mimics: None,
        };
        let links = ["base & <more>", "a", "b"].map(link).to_vec();
        let joints = vec![
            joint("j1", JointKind::Revolute, 0),
            joint("j2", JointKind::Prismatic, 1),
        ];
        let arm = Mechanism::new(links, joints).unwrap();
        let again = read_urdf(
            &write_urdf("an arm/1", &arm),
            "an_arm_1.urdf",
            LinkGeometry::Visual,
            "a test",
        )
        .unwrap();
        let q = [0.7, 0.2];
        for (a, b) in arm.forward(&q).iter().zip(again.forward(&q)) {
            assert!((a.to_homogeneous() - b.to_homogeneous()).norm() < 1e-12);
        }
        assert_eq!(
            again.joints()[0].limits.position,
            arm.joints()[0].limits.position
        );
        assert_eq!(again.links()[0].name, "base & <more>");
        assert_eq!(
            again.links()[2]
                .surface
                .as_ref()
                .unwrap()
                .mesh()
                .triangles()
                .len(),
            12
        );
    }
}
