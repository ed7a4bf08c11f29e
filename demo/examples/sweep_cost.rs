//! What the sweep of the stress cell costs with more triangles and closer brackets: `sweep_cost FOLDER` prints Markdown tables, and
//! leaves there what a reference library needs to sample the same cell, for `tools/bench/sampled_by_coal.py`.

use std::io::Write;
use std::path::Path as Folder;
use std::time::Instant;

use selvik_cell::Workcell;
use selvik_cell::findings::{Findings, WithBand, find};
use selvik_core::clearance::{Progress, SweepOptions, scope_along};
use selvik_core::program::Path;
use selvik_demo::stress_package_of;

const TIMES: [f64; 3] = [0.1, 1.0, 4.0];
const TOLERANCES_MM: [f64; 3] = [1.0, 0.1, 0.01];
/// Every so many milliseconds the poses are left for the reference.
const EVERY_MS: usize = 100;

fn main() {
    let folder = std::env::args().nth(1).expect("a folder to write to");
    println!("| triangles | first sweep, trees included | sweep | with band |");
    println!("|---|---|---|---|");
    for times in TIMES {
        let (workcell, path) = stress(times);
        let options = SweepOptions::default();
        let timed = |band| seconds(|| found(&workcell, &path, &options, band));
        let first = timed(WithBand::No);
        let triangles: usize = bodies(&workcell).map(|b| b.len()).sum();
        println!(
            "| {triangles} | {first:.2} s | {:.2} s | {:.2} s |",
            timed(WithBand::No),
            timed(WithBand::Yes)
        );
    }
    let (workcell, path) = stress(1.0);
    println!("\n| brackets | sweep | every pair bracketed |");
    println!("|---|---|---|");
    for mm in TOLERANCES_MM {
        let tolerance = mm * 1e-3;
        let asked = SweepOptions {
            tolerance,
            ..SweepOptions::default()
        };
        let every = SweepOptions::every_pair(tolerance);
        let timed = |options| seconds(|| found(&workcell, &path, options, WithBand::No));
        // The trees are made before anything is timed.
        timed(&asked);
        println!(
            "| {mm} mm | {:.2} s | {:.1} s |",
            timed(&asked),
            timed(&every)
        );
    }
    leave(Folder::new(&folder), &workcell, &path).expect("it can be written");
}

fn stress(times: f64) -> (Workcell, Path) {
    let workcell = Workcell::read(&stress_package_of(times)).expect("readable");
    let path = workcell.path().expect("it can be run");
    (workcell, path)
}

fn bodies(workcell: &Workcell) -> impl Iterator<Item = &[[u32; 3]]> {
    let all = workcell.assembly.bodies().iter();
    all.map(|body| body.surface.mesh().triangles())
}

fn found(workcell: &Workcell, path: &Path, options: &SweepOptions, band: WithBand) -> Findings {
    find(workcell, path, options, band, &Progress::default())
}

fn seconds<T>(what: impl FnOnce() -> T) -> f64 {
    let begun = Instant::now();
    std::hint::black_box(what());
    begun.elapsed().as_secs_f64()
}

/// Corners of all triangles, the body that each belongs to, where the bodies are now and then, and which pairs count.
fn leave(folder: &Folder, workcell: &Workcell, path: &Path) -> std::io::Result<()> {
    std::fs::create_dir_all(folder)?;
    let to = |name: &str| std::fs::File::create(folder.join(name)).map(std::io::BufWriter::new);
    let assembly = &workcell.assembly;
    let mut counts = to("counts")?;
    let mut corners = to("corners")?;
    for body in assembly.bodies() {
        let mesh = body.surface.mesh();
        counts.write_all(&(mesh.triangles().len() as u64).to_le_bytes())?;
        let all = (0..mesh.triangles().len()).flat_map(|i| mesh.corners(i));
        for value in all.flat_map(<[f64; 3]>::from) {
            corners.write_all(&value.to_le_bytes())?;
        }
    }
    let mut poses = to("poses")?;
    for ms in (0..(path.duration() * 1e3) as usize).step_by(EVERY_MS) {
        let at = assembly.poses(&path.at(ms as f64 * 1e-3));
        for body in assembly.bodies() {
            let pose = at[body.node.0].to_homogeneous();
            for value in pose.fixed_rows::<3>(0).transpose().iter() {
                poses.write_all(&value.to_le_bytes())?;
            }
        }
    }
    let mut pairs = to("pairs")?;
    for pair in scope_along(assembly, path, &workcell.rules).pairs {
        for body in [pair.a, pair.b] {
            pairs.write_all(&(body.0 as u64).to_le_bytes())?;
        }
    }
    Ok(())
}
