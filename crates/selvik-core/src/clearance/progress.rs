use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};

/// How far long work has come; shared with whoever watches or stops it.
#[derive(Debug, Default)]
pub struct Progress {
    done: AtomicUsize,
    total: AtomicUsize,
    stopped: AtomicBool,
    hurried: AtomicBool,
}

impl Progress {
    /// Steps done, and steps in all: a pair swept, or a stretch of the band drawn, is one.
    #[must_use]
    pub fn state(&self) -> (usize, usize) {
        (
            self.done.load(Ordering::Relaxed),
            self.total.load(Ordering::Relaxed),
        )
    }

    /// So many more steps lie ahead.
    pub(super) fn expect(&self, steps: usize) {
        self.total.fetch_add(steps, Ordering::Relaxed);
    }

    /// So many steps are done.
    pub(super) fn step(&self, steps: usize) {
        self.done.fetch_add(steps, Ordering::Relaxed);
    }

    /// Asks the work to stop; it does within a query.
    pub fn stop(&self) {
        self.stopped.store(true, Ordering::Relaxed);
    }

    /// Whether it was asked to stop.
    #[must_use]
    pub fn stopped(&self) -> bool {
        self.stopped.load(Ordering::Relaxed)
    }

    /// Asks what is tried to be told soon, as far as it is certain by then: no more is looked at than the queries that are under way.
    pub fn hurry(&self) {
        self.hurried.store(true, Ordering::Relaxed);
    }

    /// Whether more may be looked at: it was neither asked to stop nor hurried.
    #[must_use]
    pub fn goes_on(&self) -> bool {
        !self.stopped() && !self.hurried.load(Ordering::Relaxed)
    }

    pub(super) fn stop_flag(&self) -> &AtomicBool {
        &self.stopped
    }
}
