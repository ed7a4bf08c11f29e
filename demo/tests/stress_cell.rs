//! The stress cell is as large as it says.

use selvik_cell::Workcell;
use selvik_demo::{STRESS_DURATION, STRESS_STANDING, stress_package};

#[test]
fn the_stress_cell_has_the_size_the_bars_speak_of() {
    let workcell = Workcell::read(&stress_package()).expect("readable");
    let bodies = workcell.assembly.bodies();
    let triangles: usize = bodies
        .iter()
        .map(|b| b.surface.mesh().triangles().len())
        .sum();
    assert!(
        (990_000..1_050_000).contains(&triangles),
        "{triangles} triangles"
    );
    let moving = bodies
        .iter()
        .filter(|b| !workcell.assembly.moving_above(b.node).is_empty())
        .count();
    assert_eq!(moving, 8);
    assert_eq!(
        bodies.len() - moving,
        STRESS_STANDING + 1,
        "the base of the arm stands, too"
    );
    assert!((workcell.path().expect("it can be run").duration() - STRESS_DURATION).abs() < 1e-6);
}
