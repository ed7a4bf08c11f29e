//! Long answers, and whoever waits for them.

use std::sync::Arc;

use selvik_core::clearance::Progress;
use tokio::task::{JoinError, JoinHandle};
use tokio::time::{Instant, sleep_until};

use crate::error::Problem;

/// Stops the work once nobody waits for it any more: who goes drops this.
#[derive(Default)]
pub(super) struct Waiting(pub Arc<Progress>);

impl Waiting {
    /// What the work comes to; from the instant on by which it is wanted, if there is one, it is hurried.
    pub async fn told_by<T>(
        &self,
        wanted: Option<Instant>,
        mut work: JoinHandle<T>,
    ) -> Result<T, JoinError> {
        if let Some(wanted) = wanted {
            tokio::select! {
                done = &mut work => return done,
                () = sleep_until(wanted) => self.0.hurry(),
            }
        }
        work.await
    }
}

impl Drop for Waiting {
    fn drop(&mut self) {
        self.0.stop();
    }
}

/// What is answered then, to nobody.
pub(super) fn nobody_waits() -> Problem {
    Problem::refused("nobody waits for it any longer".to_owned())
}
