//! Pictures as the browser gives them.

/// Red, green and blue, 0..255 each.
pub type Rgb = [u8; 3];

/// A picture, row by row from its upper left corner.
pub struct Pixels {
    pub width: u32,
    pub height: u32,
    rgb: Vec<Rgb>,
}

impl Pixels {
    /// Reads a PNG of 8 bits with three or four channels: what browsers write.
    pub fn of_png(bytes: &[u8]) -> Self {
        let mut reader = png::Decoder::new(std::io::Cursor::new(bytes))
            .read_info()
            .expect("a PNG");
        let mut raw = vec![0; reader.output_buffer_size().expect("a size")];
        let info = reader.next_frame(&mut raw).expect("a picture");
        let samples = info.color_type.samples();
        assert!(
            info.bit_depth == png::BitDepth::Eight && samples >= 3,
            "{info:?}"
        );
        let rgb = raw
            .chunks_exact(samples)
            .map(|p| [p[0], p[1], p[2]])
            .collect();
        Self {
            width: info.width,
            height: info.height,
            rgb,
        }
    }

    /// The colour at a pixel.
    pub fn at(&self, x: u32, y: u32) -> Rgb {
        self.rgb[(y * self.width + x) as usize]
    }

    /// All pixels with their places.
    pub fn iter(&self) -> impl Iterator<Item = (u32, u32, Rgb)> + '_ {
        self.rgb
            .iter()
            .zip(0u32..)
            .map(|(rgb, i)| (i % self.width, i / self.width, *rgb))
    }
}

/// Pixels tinted like robots: clearly more blue than red.
pub fn bluish([r, _, b]: Rgb) -> bool {
    i32::from(b) - i32::from(r) > 24
}

/// Pixels tinted like a selection: red and blue above green.
pub fn plum([r, g, b]: Rgb) -> bool {
    i32::from(r) - i32::from(g) > 18 && i32::from(b) - i32::from(g) > 8
}
