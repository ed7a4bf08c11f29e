//! How large and how long requests may be.

use std::time::Duration;

/// Files come in up to this, bytes.
pub const FILES: usize = 1 << 30;
/// Everything else up to this, bytes.
pub const DOCUMENT: usize = 2 << 20;

/// The head of a request comes within this.
pub const HEAD: Duration = Duration::from_secs(10);
/// No more of a request's body for this long, and it is given up.
pub const BODY: Duration = Duration::from_secs(30);
/// An answer takes no longer than this.
pub const ANSWER: Duration = Duration::from_secs(60);
/// Files on a slow line may take longer.
pub const UPLOAD: Duration = Duration::from_secs(30 * 60);

/// Uploads that come in at a time; others wait a little and are then refused.
pub const UPLOADS: usize = 4;
/// How long.
pub const UPLOAD_WAITS: Duration = Duration::from_secs(10);

/// Once the server is told to end, what is under way may take this long.
pub const ENDING: Duration = Duration::from_secs(1);
