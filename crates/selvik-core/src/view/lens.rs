/// Width of the frame that focal lengths refer to, mm (common practice: 36 mm × 24 mm).
pub const FILM_WIDTH_MM: f64 = 36.0;

/// Full horizontal angle of view (rad) of a lens of `mm` focal length: 2 atan(36 / 2f).
#[must_use]
pub fn lens_mm_to_rad(mm: f64) -> f64 {
    2.0 * (FILM_WIDTH_MM / (2.0 * mm)).atan()
}

/// Focal length (mm) for a full horizontal angle of view (rad).
#[must_use]
pub fn lens_rad_to_mm(angle: f64) -> f64 {
    FILM_WIDTH_MM / (2.0 * (angle / 2.0).tan())
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Angles of view of common lenses by the formula; 50 mm is 39.6° (common practice).
    #[rstest::rstest]
    #[case(18.0, 90.0)]
    #[case(35.0, 54.43)]
    #[case(50.0, 39.60)]
    #[case(85.0, 23.91)]
    fn focal_lengths_have_known_angles(#[case] mm: f64, #[case] degrees: f64) {
        assert!((lens_mm_to_rad(mm).to_degrees() - degrees).abs() < 0.01);
        assert!((lens_rad_to_mm(lens_mm_to_rad(mm)) - mm).abs() < 1e-12);
    }
}
