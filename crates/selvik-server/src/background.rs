//! Work that no hand waits for, beside work that one does.

use std::sync::Arc;

use rayon::{ThreadPool, ThreadPoolBuildError, ThreadPoolBuilder};
use tokio::task::{JoinHandle, spawn_blocking};

/// Who works in the background gets about a tenth of a core that somebody else wants as well.
const GIVES_WAY: i32 = 10;

/// Threads of their own for sweeps. Whatever is asked by hand shares the others: it neither queues behind the pairs of a sweep
/// nor halves its cores with it.
#[derive(Debug, Clone)]
pub struct Background(Arc<ThreadPool>);

impl Background {
    /// As many threads as work is shared by otherwise.
    ///
    /// # Errors
    /// [`ThreadPoolBuildError`] when the system gives no more threads.
    pub fn new() -> Result<Self, ThreadPoolBuildError> {
        let pool = ThreadPoolBuilder::new()
            .num_threads(rayon::current_num_threads())
            .thread_name(|at| format!("background-{at}"))
            .start_handler(|_| give_way())
            .build()?;
        Ok(Self(Arc::new(pool)))
    }

    /// Has `work` done there. What it shares among cores stays there, too.
    ///
    /// # Panics
    /// Outside a Tokio runtime.
    pub fn run<T: Send + 'static>(
        &self,
        work: impl FnOnce() -> T + Send + 'static,
    ) -> JoinHandle<T> {
        let pool = Arc::clone(&self.0);
        spawn_blocking(move || pool.install(work))
    }
}

/// Lowers the priority of this thread: on Linux it is that of each thread for itself. Where it can't be, work is only slower.
fn give_way() {
    if let Err(error) = rustix::process::nice(GIVES_WAY) {
        tracing::debug!("sweeps run with the priority of all else: {error}");
    }
}
