//! `selvik query`: one question about a package, answered as JSON.

use std::path::Path;

use clap::{Args, Subcommand};
use indexmap::IndexMap;
use selvik_cell::Workcell;
use selvik_cell::document::PoseDocument;
use selvik_cell::questions::{Asked, path_answer};
use selvik_core::spatial::{Plane, Point, Vector};
use selvik_formats::FormatError;
use serde::Serialize;
use serde_json::Value;

use super::open_workcell;

/// Where all joints are: at rest, at a path time, and some of them where it is said.
#[derive(Args)]
pub struct When {
    /// Path time; at rest if absent.
    #[arg(long)]
    at_s: Option<f64>,
    /// A joint value `item/joint=degrees-or-mm`; may be repeated.
    #[arg(long = "joint", value_parser = named_value, allow_hyphen_values = true)]
    joints: Vec<(String, f64)>,
}

impl When {
    /// The workcell with its joints there.
    fn asked<'a>(&self, workcell: &'a Workcell) -> Result<Asked<'a>, FormatError> {
        let named: IndexMap<String, f64> = self.joints.iter().cloned().collect();
        let there = match self.at_s {
            Some(time) => Asked::at_time(workcell, time)?,
            None => Asked::at_rest(workcell),
        };
        there.moved(&named)
    }
}

/// What can be asked.
#[derive(Subcommand)]
pub enum Query {
    /// World poses of all items and links.
    Poses {
        /// When.
        #[command(flatten)]
        when: When,
    },
    /// Joint values that take a frame to a pose in the world.
    Inverse {
        /// Id of the robot.
        #[arg(long)]
        robot: String,
        /// Id of the frame, usually a TCP.
        #[arg(long)]
        tcp: String,
        /// `x,y,z` in mm.
        #[arg(long, value_parser = three, allow_hyphen_values = true)]
        xyz_mm: [f64; 3],
        /// `roll,pitch,yaw` in degrees.
        #[arg(long, value_parser = three, allow_hyphen_values = true, default_value = "0,0,0")]
        rpy_deg: [f64; 3],
        /// From where the nearest values are sought, and where all other joints are.
        #[command(flatten)]
        when: When,
    },
    /// The exact distance between two items (with all their links).
    Distance {
        /// Id of one item; `item/link` for one link.
        a: String,
        /// Id of the other.
        b: String,
        /// When.
        #[command(flatten)]
        when: When,
    },
    /// The loops in which a plane cuts an item.
    Section {
        /// Id of the item; `item/link` for one link.
        item: String,
        /// A point of the plane, `x,y,z` in mm.
        #[arg(long, value_parser = three, allow_hyphen_values = true)]
        point_mm: [f64; 3],
        /// Its normal, `x,y,z`.
        #[arg(long, value_parser = three, allow_hyphen_values = true)]
        normal: [f64; 3],
        /// When.
        #[command(flatten)]
        when: When,
    },
    /// Length of the path, its knots and when which move runs.
    Path,
}

fn named_value(text: &str) -> Result<(String, f64), String> {
    let (name, value) = text.split_once('=').ok_or("write item/joint=value")?;
    let value: f64 = value
        .parse()
        .map_err(|_| format!("\"{value}\" is not a number"))?;
    Ok((name.to_owned(), value))
}

fn three(text: &str) -> Result<[f64; 3], String> {
    let numbers: Result<Vec<f64>, _> = text.split(',').map(|t| t.trim().parse::<f64>()).collect();
    let three = numbers.ok().and_then(|n| <[f64; 3]>::try_from(n).ok());
    three
        .filter(|n| n.iter().all(|x| x.is_finite()))
        .ok_or_else(|| "write three numbers: x,y,z".to_owned())
}

/// Answers `query` about the package at `path`.
///
/// # Errors
/// A sentence about bad input.
pub fn query(path: &Path, query: &Query) -> Result<Value, String> {
    let workcell = open_workcell(path)?;
    answer(&workcell, query).map_err(|e| e.to_string())
}

fn answer(workcell: &Workcell, query: &Query) -> Result<Value, FormatError> {
    Ok(match query {
        Query::Poses { when } => told(when.asked(workcell)?.poses()),
        Query::Inverse {
            robot,
            tcp,
            xyz_mm,
            rpy_deg,
            when,
        } => {
            let target = PoseDocument {
                xyz_mm: *xyz_mm,
                rpy_deg: *rpy_deg,
            };
            told(when.asked(workcell)?.inverse(robot, tcp, &target)?)
        }
        Query::Distance { a, b, when } => told(when.asked(workcell)?.distance(a, b)?),
        Query::Section {
            item,
            point_mm,
            normal,
            when,
        } => {
            let point = Point::from(point_mm.map(|x| x * 1e-3));
            let plane = Plane::through(&point, &Vector::from(*normal));
            let plane = plane.ok_or_else(|| FormatError::said("the normal has no direction"))?;
            told(when.asked(workcell)?.section(item, &plane)?)
        }
        Query::Path => told(path_answer(
            workcell,
            &workcell.path().map_err(FormatError::said)?,
        )),
    })
}

fn told(answer: impl Serialize) -> Value {
    serde_json::to_value(answer).expect("plain data")
}
