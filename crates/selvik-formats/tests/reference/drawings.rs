//! Drawings are read back by libraries that did not write them: `dxf` reads DXF, `roxmltree` and `svgtypes` SVG.

use dxf::entities::EntityType;
use proptest::prelude::*;
use selvik_formats::drawing::{Dimension, Drawing, Layer, write_dxf, write_svg};
use svgtypes::{PathParser, PathSegment};

type Line = Vec<[f64; 2]>;
/// From where to where.
type Between = [[f64; 2]; 2];

/// Lines that end where they began, and lines that do not.
#[derive(Debug, Default, PartialEq)]
struct Lines {
    closed: Vec<Line>,
    open: Vec<Line>,
}

fn lines() -> impl Strategy<Value = Vec<Line>> {
    let coordinate = prop_oneof![-3e3..3e3, -1e-6..1e-6, Just(0.0), -1e9..1e9];
    let point = prop::array::uniform2(coordinate);
    prop::collection::vec(prop::collection::vec(point, 2..9), 0..4)
}

fn drawings() -> impl Strategy<Value = Drawing> {
    let layer =
        ("[ -~äÖß°]{1,40}", lines(), lines(), 0usize..6).prop_map(|(name, closed, open, hatch)| {
            Layer {
                name,
                closed,
                open,
                hatch,
            }
        });
    let point = || prop::array::uniform2(-3e3..3e3);
    let dimension = (point(), point()).prop_map(|(from, to)| Dimension { from, to });
    let all = (
        prop::collection::vec(layer, 0..5),
        prop::collection::vec(dimension, 0..3),
    );
    all.prop_map(|(layers, dimensions)| Drawing {
        title: "A <cut> & more".to_owned(),
        layers,
        dimensions,
    })
}

/// Layer by layer, in their order.
fn read_dxf(text: &str) -> (Vec<(String, Lines)>, Vec<Between>) {
    let read = dxf::Drawing::load(&mut text.as_bytes()).expect("a DXF file");
    assert_eq!(
        read.header.default_drawing_units,
        dxf::enums::Units::Millimeters
    );
    let names = read.layers().map(|l| l.name.clone());
    let mut layers: Vec<(String, Lines)> = names.map(|name| (name, Lines::default())).collect();
    let mut dimensions = Vec::new();
    for entity in read.entities() {
        match &entity.specific {
            EntityType::Polyline(line) => {
                let found = layers.iter_mut().find(|(n, _)| *n == entity.common.layer);
                let (_, lines) = found.expect("a layer of that name");
                let points = line.vertices().map(|v| [v.location.x, v.location.y]);
                let list = if line.is_closed() {
                    &mut lines.closed
                } else {
                    &mut lines.open
                };
                list.push(points.collect());
            }
            EntityType::Line(line) => {
                dimensions.push([[line.p1.x, line.p1.y], [line.p2.x, line.p2.y]]);
            }
            EntityType::Text(_) => {}
            other => panic!("a drawing has no {other:?}"),
        }
    }
    (layers, dimensions)
}

fn read_svg(text: &str) -> Vec<(String, Lines)> {
    let read = roxmltree::Document::parse(text).expect("an SVG file");
    let items = read
        .root_element()
        .children()
        .filter(|n| n.attribute("data-name").is_some());
    let of_item = |item: roxmltree::Node| {
        let mut lines = Lines::default();
        for path in item.children().filter(|n| n.has_tag_name("path")) {
            let mut line: Line = Vec::new();
            for segment in PathParser::from(path.attribute("d").expect("a path")) {
                match segment.expect("a segment") {
                    PathSegment::MoveTo { x, y, .. } | PathSegment::LineTo { x, y, .. } => {
                        line.push([x, -y]);
                    }
                    PathSegment::ClosePath { .. } => lines.closed.push(std::mem::take(&mut line)),
                    other => panic!("a drawing has no {other:?}"),
                }
            }
            if !line.is_empty() {
                lines.open.push(line);
            }
        }
        (
            item.attribute("data-name").expect("a name").to_owned(),
            lines,
        )
    };
    items.map(of_item).collect()
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]

    #[test]
    fn what_is_drawn_comes_back_to_the_last_digit(drawing in drawings()) {
        let expected: Vec<Lines> = drawing
            .layers
            .iter()
            .map(|l| Lines { closed: l.closed.clone(), open: l.open.clone() })
            .collect();

        let (mut layers, dimensions) = read_dxf(&write_dxf(&drawing));
        prop_assert_eq!(layers.pop().map(|(name, _)| name), Some("DIMENSIONS".to_owned()));
        let found: Vec<Lines> = layers.into_iter().map(|(_, lines)| lines).collect();
        prop_assert_eq!(&found, &expected);
        let between: Vec<_> = drawing.dimensions.iter().map(|d| [d.from, d.to]).collect();
        prop_assert_eq!(dimensions, between);

        let items = read_svg(&write_svg(&drawing));
        let names: Vec<&str> = items.iter().map(|(name, _)| name.as_str()).collect();
        let own: Vec<&str> = drawing.layers.iter().map(|l| l.name.as_str()).collect();
        prop_assert_eq!(names, own);
        let found: Vec<Lines> = items.into_iter().map(|(_, lines)| lines).collect();
        prop_assert_eq!(&found, &expected);
    }
}
