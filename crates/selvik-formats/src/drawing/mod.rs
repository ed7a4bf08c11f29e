//! Flat drawings in millimetres, written as SVG and as DXF.

mod dxf;
mod svg;

pub use dxf::write_dxf;
pub use svg::write_svg;

/// A flat drawing, mm; X to the right, Y up.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Drawing {
    /// What it shows.
    pub title: String,
    /// What is drawn, a layer for each item.
    pub layers: Vec<Layer>,
    /// Distances that are written into it.
    pub dimensions: Vec<Dimension>,
}

/// What is drawn of one item.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Layer {
    /// Its name.
    pub name: String,
    /// Outlines and holes, closed: the first point is not told again.
    pub closed: Vec<Vec<[f64; 2]>>,
    /// Lines that end.
    pub open: Vec<Vec<[f64; 2]>>,
    /// The number of its hatching (ISO 128-3): odd ones lean the other way, higher ones are wider.
    pub hatch: usize,
}

/// A distance between two points.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Dimension {
    /// From here, mm.
    pub from: [f64; 2],
    /// To there.
    pub to: [f64; 2],
}

impl Dimension {
    /// How long it is, mm.
    #[must_use]
    pub fn length(&self) -> f64 {
        (self.to[0] - self.from[0]).hypot(self.to[1] - self.from[1])
    }
}

impl Drawing {
    /// The corners of the box round all that is drawn; `None` where nothing is.
    #[must_use]
    pub fn bounds(&self) -> Option<[[f64; 2]; 2]> {
        let lines = self
            .layers
            .iter()
            .flat_map(|l| l.closed.iter().chain(&l.open));
        let points = lines.flatten().copied();
        let dimensions = self.dimensions.iter().flat_map(|d| [d.from, d.to]);
        points.chain(dimensions).fold(None, |bounds, [x, y]| {
            let [[l, b], [r, t]] = bounds.unwrap_or([[x, y], [x, y]]);
            Some([[l.min(x), b.min(y)], [r.max(x), t.max(y)]])
        })
    }
}
