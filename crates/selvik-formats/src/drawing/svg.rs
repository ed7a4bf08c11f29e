use std::fmt::Write;

use super::{Drawing, Layer};

/// Free paper round the drawing, as a share of it.
const MARGIN: f64 = 0.06;
/// Thickness of outlines and height of letters, as a share of the drawing's diagonal.
const LINE: f64 = 0.002;
const LETTER: f64 = 0.022;
/// Distance of the hatching lines, as shares of the diagonal: one after the other.
const HATCH: [f64; 3] = [0.016, 0.024, 0.011];

/// Writes a drawing as SVG 1.1: a unit is a millimetre, a group is an item.
#[must_use]
pub fn write_svg(drawing: &Drawing) -> String {
    let [[left, bottom], [right, top]] = drawing.bounds().unwrap_or([[0.0; 2], [100.0; 2]]);
    let size = (right - left).hypot(top - bottom).max(1.0);
    let margin = MARGIN * size;
    let (wide, high) = (right - left + 2.0 * margin, top - bottom + 2.0 * margin);
    let mut text = String::new();
    // Y goes down on paper.
    let _ = writeln!(
        text,
        "<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"{wide}mm\" height=\"{high}mm\" viewBox=\"{} {} {wide} {high}\">",
        left - margin,
        -top - margin,
    );
    let _ = writeln!(text, "<title>{}</title>", escaped(&drawing.title));
    for (at, layer) in drawing.layers.iter().enumerate() {
        layer_as_svg(&mut text, at, layer, size);
    }
    for dimension in &drawing.dimensions {
        let ([x1, y1], [x2, y2]) = (dimension.from, dimension.to);
        let _ = writeln!(
            text,
            "<g fill=\"none\" stroke=\"#8B2C6A\" stroke-width=\"{}\"><path d=\"M{x1} {}L{x2} {}\"/></g>",
            LINE * size,
            -y1,
            -y2
        );
        let _ = writeln!(
            text,
            "<text x=\"{}\" y=\"{}\" font-size=\"{}\" font-family=\"sans-serif\" fill=\"#8B2C6A\">{:.2}</text>",
            f64::midpoint(x1, x2),
            -f64::midpoint(y1, y2) - LINE * size * 3.0,
            LETTER * size,
            dimension.length()
        );
    }
    text.push_str("</svg>\n");
    text
}

fn layer_as_svg(text: &mut String, at: usize, layer: &Layer, size: f64) {
    // ISO 128-3: 45°, neighbours in another direction or spacing.
    let turn = if layer.hatch.is_multiple_of(2) {
        45
    } else {
        -45
    };
    let gap = HATCH[layer.hatch / 2 % HATCH.len()] * size;
    let line = LINE * size;
    let name = escaped(&layer.name);
    let _ = writeln!(
        text,
        "<pattern id=\"hatch{at}\" width=\"{gap}\" height=\"{gap}\" patternUnits=\"userSpaceOnUse\" patternTransform=\"rotate({turn})\"><path d=\"M0 0H{gap}\" stroke=\"#20292E\" stroke-width=\"{}\"/></pattern>",
        line * 0.5
    );
    let _ = writeln!(
        text,
        "<g id=\"{}\" data-name=\"{name}\" stroke=\"#20292E\" stroke-width=\"{line}\"><title>{name}</title>",
        format_args!("layer{at}")
    );
    let path = |text: &mut String, points: &[[f64; 2]], end: &str| {
        for (i, [x, y]) in points.iter().enumerate() {
            let _ = write!(text, "{}{x} {}", if i == 0 { "M" } else { "L" }, -y);
        }
        text.push_str(end);
    };
    if !layer.closed.is_empty() {
        let _ = write!(
            text,
            "<path fill=\"url(#hatch{at})\" fill-rule=\"evenodd\" d=\""
        );
        for outline in &layer.closed {
            path(text, outline, "Z");
        }
        text.push_str("\"/>\n");
    }
    for open in &layer.open {
        let _ = write!(
            text,
            "<path fill=\"none\" stroke-dasharray=\"{} {}\" d=\"",
            line * 4.0,
            line * 3.0
        );
        path(text, open, "\"/>\n");
    }
    text.push_str("</g>\n");
}

fn escaped(text: &str) -> String {
    let mut told = String::with_capacity(text.len());
    for letter in text.chars() {
        match letter {
            '&' => told.push_str("&amp;"),
            '<' => told.push_str("&lt;"),
            '>' => told.push_str("&gt;"),
            '"' => told.push_str("&quot;"),
            // Others may not stand in XML at all.
            c if c.is_control() => told.push(' '),
            c => told.push(c),
        }
    }
    told
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::drawing::Dimension;

    #[test]
    fn a_square_with_a_hole_is_one_path_in_millimetres_and_y_goes_up() {
        let square = |half: f64| vec![[-half, -half], [half, -half], [half, half], [-half, half]];
        let drawing = Drawing {
            title: "A & B".to_owned(),
            layers: vec![Layer {
                name: "Plate \"1\" <x>".to_owned(),
                closed: vec![square(50.0), square(10.0)],
                open: vec![vec![[0.0, 60.0], [5.0, 70.0]]],
                hatch: 1,
            }],
            dimensions: vec![Dimension {
                from: [-50.0, -50.0],
                to: [50.0, -50.0],
            }],
        };
        let text = write_svg(&drawing);
        let document = roxmltree::Document::parse(&text).expect("XML");
        let root = document.root_element();
        let paths: Vec<_> = root
            .descendants()
            .filter(|n| n.attribute("fill-rule") == Some("evenodd"))
            .collect();
        let d = paths[0].attribute("d").unwrap();
        assert_eq!(
            d,
            "M-50 50L50 50L50 -50L-50 -50ZM-10 10L10 10L10 -10L-10 -10Z"
        );
        assert!(root.attribute("width").unwrap().ends_with("mm"));
        let group = root
            .descendants()
            .find(|n| n.attribute("data-name").is_some());
        assert_eq!(
            group.unwrap().attribute("data-name"),
            Some("Plate \"1\" <x>")
        );
        let label = root.descendants().find(|n| n.has_tag_name("text")).unwrap();
        assert_eq!(label.text(), Some("100.00"));
    }
}
