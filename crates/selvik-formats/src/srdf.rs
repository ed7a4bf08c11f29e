//! SRDF: which links of a robot may touch, and how its joints are grouped.

use roxmltree::Node;

use crate::xml::parsed;
use crate::{FormatError, PackageFiles, Result};

/// What an SRDF file says of a robot, by the names its URDF gives.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Srdf {
    /// The robot's name.
    pub robot: String,
    /// Pairs of links that may touch, and the reason given.
    pub may_touch: Vec<(String, String, String)>,
    /// Groups of joints, chains and links.
    pub groups: Vec<JointGroup>,
}

/// A named group of joints.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct JointGroup {
    /// What people call it.
    pub name: String,
    /// Joints named one by one.
    pub joints: Vec<String>,
    /// Chains from a base link to a tip link.
    pub chains: Vec<(String, String)>,
}

/// Reads the SRDF file `name` of a package.
///
/// # Errors
/// [`FormatError`] with the line.
pub fn read_srdf(files: &PackageFiles, name: &str, wanted_by: &str) -> Result<Srdf> {
    let bytes = files.get(name, wanted_by)?;
    let document = parsed(name, &bytes)?;
    let root = document.root_element();
    let attribute = |node: &Node, key: &str| -> Result<String> {
        let row = document.text_pos_at(node.range().start).row;
        let missing = || {
            let message = format!("<{}> has no {key}=\"…\"", node.tag_name().name());
            FormatError::at(name, format!("line {row}"), message)
        };
        node.attribute(key).map(str::to_owned).ok_or_else(missing)
    };
    if !root.has_tag_name("robot") {
        return Err(FormatError::at(
            name,
            "line 1",
            "the outermost element must be <robot>",
        ));
    }
    let mut srdf = Srdf {
        robot: attribute(&root, "name")?,
        ..Srdf::default()
    };
    for node in root.children().filter(Node::is_element) {
        match node.tag_name().name() {
            "disable_collisions" => {
                let reason = node
                    .attribute("reason")
                    .unwrap_or("the SRDF says so")
                    .to_owned();
                srdf.may_touch.push((
                    attribute(&node, "link1")?,
                    attribute(&node, "link2")?,
                    reason,
                ));
            }
            "group" => {
                let mut group = JointGroup {
                    name: attribute(&node, "name")?,
                    ..JointGroup::default()
                };
                for part in node.children().filter(Node::is_element) {
                    match part.tag_name().name() {
                        "joint" => group.joints.push(attribute(&part, "name")?),
                        "chain" => {
                            group.chains.push((
                                attribute(&part, "base_link")?,
                                attribute(&part, "tip_link")?,
                            ));
                        }
                        _ => {}
                    }
                }
                srdf.groups.push(group);
            }
            _ => {}
        }
    }
    Ok(srdf)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn read(text: &str) -> Result<Srdf> {
        let mut files = PackageFiles::default();
        files.insert("a.srdf", text.as_bytes().to_vec()).unwrap();
        read_srdf(&files, "a.srdf", "a test")
    }

    #[test]
    fn pairs_and_groups_are_read() {
        let srdf = read(
            r#"<robot name="arm"><group name="hand"><joint name="f1"/><chain base_link="b" tip_link="t"/></group>
<disable_collisions link1="l1" link2="l3" reason="Never"/><virtual_joint name="v"/></robot>"#,
        );
        let srdf = srdf.unwrap();
        assert_eq!(
            srdf.may_touch,
            [("l1".to_owned(), "l3".to_owned(), "Never".to_owned())]
        );
        assert_eq!(srdf.groups[0].joints, ["f1"]);
        assert_eq!(srdf.groups[0].chains, [("b".to_owned(), "t".to_owned())]);
    }

    #[rstest::rstest]
    #[case("<robot name='a'>\n<disable_collisions link1='l1'/></robot>", "line 2")]
    #[case("<robot name='a'>\n<group/></robot>", "line 2")]
    #[case("<cell/>", "<robot>")]
    #[case("<robot", "well-formed")]
    fn what_is_wrong_is_refused_with_its_line(#[case] text: &str, #[case] says: &str) {
        let error = read(text).unwrap_err().to_string();
        assert!(error.contains(says), "{error}");
    }
}
