//! What is certain of a pair while each of its moves runs. A change of one move leaves what is known of the others.
//!
//! A path is cut where one of the tracks that move the pair begins something else; each window is told by what these tracks do
//! in it, whenever that is. Whoever looks at the pair along another path goes on from what is known of the windows that are the
//! same. What comes of that is as certain, but need not be found in the same way as from scratch.

use std::sync::Arc;

use rustc_hash::FxHashMap;

use super::known::Key;
use super::minimum::{Minimum, Stretch};
use super::near::Near;
use crate::mesh::Surface;

/// Of a path in more windows nothing is kept.
pub(super) const MOST_WINDOWS: usize = 512;

/// A part of a path in which every track that moves a pair does one thing.
#[derive(Debug, Clone, Copy)]
pub(super) struct Window {
    /// s
    pub from: f64,
    /// s
    pub to: f64,
    pub key: Key,
}

/// What is certain of a pair in the windows of a path.
#[derive(Debug)]
pub(super) struct Front {
    /// How near the two come on the path between its knots at least, m.
    lower: FxHashMap<Key, f64>,
    /// In which window they come nearest, and how long after its beginning, s.
    nearest: Option<(Key, f64)>,
    /// See [`super::known`].
    _surfaces: [Arc<Surface>; 2],
}

impl Front {
    /// What was found of a pair that is measured at some times, its programmed motion off the path by `deviation` (m) at most.
    pub fn new(
        windows: &[Window],
        measured: &[(f64, f64)],
        (near, found): (&Near, &Minimum),
        deviation: f64,
        surfaces: [Arc<Surface>; 2],
    ) -> Self {
        let mut left = found.left.clone();
        left.sort_by(|x, y| x.from.total_cmp(&y.from));
        let holds = |times: &[(f64, f64)], w: &Window| {
            times.iter().any(|&(from, to)| from <= w.from && w.to <= to)
        };
        let mut lower = FxHashMap::default();
        for window in windows.iter().filter(|w| holds(measured, w)) {
            let own = left.iter().take_while(|s| s.from < window.to);
            let own = own.filter(|s| s.to > window.from).map(|s| s.lower);
            let mut least = own.fold(f64::INFINITY, f64::min);
            if !holds(&near.stretches, window) {
                least = least.min(near.lower);
            }
            if least > 0.0 && least.is_finite() {
                lower.insert(window.key, least + deviation);
            }
        }
        let time = found.approach.time;
        let at = windows.iter().find(|w| w.from <= time && time <= w.to);
        Self {
            lower,
            nearest: at.map(|w| (w.key, time - w.from)),
            _surfaces: surfaces,
        }
    }

    /// Some times with what is certain of them along a path in `windows`, off which the programmed motion is by `deviation` (m)
    /// at most.
    pub fn on(&self, windows: &[Window], times: &[(f64, f64)], deviation: f64) -> Vec<Stretch> {
        let known = |w: &Window| {
            self.lower
                .get(&w.key)
                .map_or(0.0, |l| (l - deviation).max(0.0))
        };
        let mut all = Vec::new();
        for &(from, to) in times {
            let cut = |w: &Window| Stretch {
                lower: known(w),
                from: w.from.max(from),
                to: w.to.min(to),
            };
            let own = windows.iter().map(cut).filter(|s| s.from < s.to);
            let before = all.len();
            all.extend(own);
            if all.len() == before {
                all.push(Stretch {
                    lower: 0.0,
                    from,
                    to,
                });
            }
        }
        all
    }

    /// How near the two came at least, as far as that is known, m.
    pub fn least(&self) -> Option<f64> {
        self.lower.values().copied().min_by(f64::total_cmp)
    }

    /// When the two come nearest, along a path in which that is to be found, s.
    pub fn nearest(&self, windows: &[Window], times: &[(f64, f64)]) -> Option<f64> {
        let (key, after) = self.nearest?;
        let window = windows.iter().find(|w| w.key == key)?;
        let time = (window.from + after).min(window.to);
        let counts = times.iter().any(|&(from, to)| from <= time && time <= to);
        counts.then_some(time)
    }
}
