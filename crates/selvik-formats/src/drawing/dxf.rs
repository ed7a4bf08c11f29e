use std::fmt::Write;

use super::{Drawing, Layer};

/// Letters of dimensions, as a share of the drawing's diagonal.
const LETTER: f64 = 0.022;
const DIMENSIONS: &str = "DIMENSIONS";

/// Writes a drawing as DXF of release 12 (AC1009), which everything reads: millimetres, a layer for each item, polylines with
/// all their digits. Dimensions are lines with text on a layer of their own.
#[must_use]
pub fn write_dxf(drawing: &Drawing) -> String {
    let [[left, bottom], [right, top]] = drawing.bounds().unwrap_or([[0.0; 2], [100.0; 2]]);
    let names = layer_names(&drawing.layers);
    let mut text = Pairs(String::new());
    text.all(&[
        (0, "SECTION"),
        (2, "HEADER"),
        (9, "$ACADVER"),
        (1, "AC1009"),
    ]);
    // Lengths in metric units, decimal.
    text.all(&[
        (9, "$MEASUREMENT"),
        (70, "1"),
        (9, "$LUNITS"),
        (70, "2"),
        (9, "$INSUNITS"),
        (70, "4"),
    ]);
    text.all(&[(9, "$EXTMIN")]);
    text.point(10, [left, bottom]);
    text.all(&[(9, "$EXTMAX")]);
    text.point(10, [right, top]);
    text.all(&[
        (0, "ENDSEC"),
        (0, "SECTION"),
        (2, "TABLES"),
        (0, "TABLE"),
        (2, "LAYER"),
    ]);
    text.all(&[(70, &(names.len() + 1).to_string())]);
    for (at, name) in names
        .iter()
        .map(String::as_str)
        .chain([DIMENSIONS])
        .enumerate()
    {
        let colour = (at % 7 + 1).to_string();
        text.all(&[
            (0, "LAYER"),
            (2, name),
            (70, "0"),
            (62, &colour),
            (6, "CONTINUOUS"),
        ]);
    }
    text.all(&[
        (0, "ENDTAB"),
        (0, "ENDSEC"),
        (0, "SECTION"),
        (2, "ENTITIES"),
    ]);
    for (layer, name) in drawing.layers.iter().zip(&names) {
        for outline in &layer.closed {
            text.polyline(name, outline, true);
        }
        for line in &layer.open {
            text.polyline(name, line, false);
        }
    }
    let letter = LETTER * (right - left).hypot(top - bottom).max(1.0);
    for dimension in &drawing.dimensions {
        text.all(&[(0, "LINE"), (8, DIMENSIONS)]);
        text.point(10, dimension.from);
        text.point(11, dimension.to);
        let middle = [0, 1].map(|i| f64::midpoint(dimension.from[i], dimension.to[i]));
        text.all(&[(0, "TEXT"), (8, DIMENSIONS)]);
        text.point(10, middle);
        text.all(&[
            (40, &letter.to_string()),
            (1, &format!("{:.2}", dimension.length())),
        ]);
    }
    text.all(&[(0, "ENDSEC"), (0, "EOF")]);
    text.0
}

/// Group codes with their values, a line each.
struct Pairs(String);

impl Pairs {
    fn all(&mut self, pairs: &[(u8, &str)]) {
        for (code, value) in pairs {
            let _ = write!(self.0, "{code:>3}\r\n{value}\r\n");
        }
    }

    fn point(&mut self, code: u8, [x, y]: [f64; 2]) {
        self.all(&[
            (code, &number(x)),
            (code + 10, &number(y)),
            (code + 20, "0.0"),
        ]);
    }

    fn polyline(&mut self, layer: &str, points: &[[f64; 2]], closed: bool) {
        let flags = if closed { "1" } else { "0" };
        self.all(&[(0, "POLYLINE"), (8, layer), (66, "1"), (70, flags)]);
        self.point(10, [0.0; 2]);
        for &at in points {
            self.all(&[(0, "VERTEX"), (8, layer)]);
            self.point(10, at);
        }
        self.all(&[(0, "SEQEND"), (8, layer)]);
    }
}

/// Numbers are told with a point, and never as powers of ten.
fn number(x: f64) -> String {
    let text = format!("{x}");
    if text.contains('.') {
        text
    } else {
        format!("{text}.0")
    }
}

/// Names of layers hold letters, digits, `_`, `-` and `$`, at most 31 of them, each once.
fn layer_names(layers: &[Layer]) -> Vec<String> {
    let mut names: Vec<String> = Vec::with_capacity(layers.len());
    for layer in layers {
        let plain = layer.name.to_uppercase();
        let plain: String = plain
            .chars()
            .map(|c| {
                if c.is_ascii_alphanumeric() || "-$".contains(c) {
                    c
                } else {
                    '_'
                }
            })
            .take(27)
            .collect();
        let mut name = plain.clone();
        let mut count = 1;
        while name.is_empty() || name == DIMENSIONS || names.contains(&name) {
            count += 1;
            name = format!("{plain}_{count}");
        }
        names.push(name);
    }
    names
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn layers_have_names_of_their_own_and_outlines_are_closed() {
        let layer = |name: &str| Layer {
            name: name.to_owned(),
            closed: vec![vec![[0.0, 0.0], [1e-7, 0.5], [12.5, 3.0]]],
            ..Layer::default()
        };
        let drawing = Drawing {
            layers: vec![
                layer("Rohr ø"),
                layer("rohr Ø"),
                layer("dimensions"),
                layer(""),
            ],
            ..Drawing::default()
        };
        assert_eq!(
            layer_names(&drawing.layers),
            ["ROHR__", "ROHR___2", "DIMENSIONS_2", "_2"]
        );
        let text = write_dxf(&drawing);
        let lines: Vec<&str> = text.lines().collect();
        assert_eq!(lines.len() % 2, 0);
        let codes = lines
            .iter()
            .step_by(2)
            .map(|c| c.trim().parse::<u16>().expect("a code"));
        assert!(codes.max() <= Some(70));
        assert_eq!(text.matches("POLYLINE").count(), 4);
        assert!(text.contains("0.0000001") && text.ends_with("EOF\r\n"));
    }
}
