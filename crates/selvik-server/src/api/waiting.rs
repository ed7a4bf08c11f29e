//! Long answers, and whoever waits for them.

use std::sync::Arc;

use selvik_core::clearance::Progress;

use crate::error::Problem;

/// Stops the work once nobody waits for it any more: who goes drops this.
#[derive(Default)]
pub(super) struct Waiting(pub Arc<Progress>);

impl Drop for Waiting {
    fn drop(&mut self) {
        self.0.stop();
    }
}

/// What is answered then, to nobody.
pub(super) fn nobody_waits() -> Problem {
    Problem::refused("nobody waits for it any longer".to_owned())
}
