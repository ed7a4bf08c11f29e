//! Taking connections until the server is told to end.

use std::time::Duration;

use axum::Router;
use axum::body::Body;
use axum::extract::Request;
use hyper::body::Incoming;
use hyper_util::rt::{TokioExecutor, TokioIo, TokioTimer};
use hyper_util::server::conn::auto::Builder;
use hyper_util::service::TowerToHyperService;
use tokio::net::{TcpListener, TcpStream};
use tokio_util::sync::CancellationToken;
use tokio_util::task::TaskTracker;
use tower::ServiceExt;

use crate::limits::{ENDING, HEAD};

/// What is read of a request's head at most, bytes.
const HEAD_BYTES: usize = 64 << 10;
/// When no connection can be taken, for want of handles, it is tried again after this.
const AGAIN: Duration = Duration::from_millis(100);

/// Serves `router` until `stop`. Requests under way are answered, for a second at most.
pub async fn serve(listener: TcpListener, router: Router, stop: CancellationToken) {
    let connections = TaskTracker::new();
    while let Some(taken) = stop.run_until_cancelled(listener.accept()).await {
        match taken {
            Ok((stream, _)) => {
                drop(connections.spawn(answer(stream, router.clone(), stop.clone())))
            }
            Err(error) => {
                tracing::warn!("a connection could not be taken: {error}");
                tokio::time::sleep(AGAIN).await;
            }
        }
    }
    drop(listener);
    connections.close();
    if tokio::time::timeout(ENDING, connections.wait())
        .await
        .is_err()
    {
        tracing::info!("{} connections were cut", connections.len());
    }
}

async fn answer(stream: TcpStream, router: Router, stop: CancellationToken) {
    // Small answers go at once; where that can't be, they go a little later.
    let _ = stream.set_nodelay(true);
    let service = router.map_request(|request: Request<Incoming>| request.map(Body::new));
    let mut server = Builder::new(TokioExecutor::new());
    server
        .http1()
        .timer(TokioTimer::new())
        .header_read_timeout(HEAD)
        .max_buf_size(HEAD_BYTES);
    server.http2().timer(TokioTimer::new());
    let connection = server
        .serve_connection_with_upgrades(TokioIo::new(stream), TowerToHyperService::new(service));
    let mut connection = std::pin::pin!(connection);
    // Errors of a connection are those of whoever is at its other end.
    if stop
        .run_until_cancelled(connection.as_mut())
        .await
        .is_none()
    {
        connection.as_mut().graceful_shutdown();
        let _ = connection.await;
    }
}
