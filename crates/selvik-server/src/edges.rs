//! What every answer has in common: refusals are problem documents, failures are noted under an id that the client sees.

use axum::body::{Body, to_bytes};
use axum::extract::Request;
use axum::http::{HeaderMap, HeaderName, StatusCode, header};
use axum::middleware::Next;
use axum::response::{IntoResponse, Response};

use crate::error::{Cause, Problem};

/// The header that names a request, in the answer and in the log.
pub const REQUEST_ID: HeaderName = HeaderName::from_static("x-request-id");

/// A refusal of the framework is not longer than this.
const SENTENCE: usize = 4096;

/// Turns every refusal under `/api` into a problem document, and notes what failed.
pub async fn tell(request: Request, next: Next) -> Response {
    let id = text(request.headers(), &REQUEST_ID)
        .unwrap_or_default()
        .to_owned();
    let (method, path) = (request.method().clone(), request.uri().path().to_owned());
    let response = next.run(request).await;
    let status = response.status();
    if status.is_server_error() {
        let cause = response
            .extensions()
            .get::<Cause>()
            .map_or("no more is known", |c| c.0.as_str());
        tracing::error!(%id, %method, path, status = status.as_u16(), "failed: {cause}");
    }
    let refused = status.is_client_error() || status.is_server_error();
    let told = text(response.headers(), &header::CONTENT_TYPE)
        .is_some_and(|kind| kind.contains("problem+json"));
    if !refused || told || !path.starts_with("/api/") {
        return response;
    }
    let (mut parts, body) = response.into_parts();
    let said = to_bytes(body, SENTENCE).await.unwrap_or_default();
    let said = String::from_utf8_lossy(&said);
    let detail = match status {
        StatusCode::METHOD_NOT_ALLOWED => format!("{path} can't be asked by {method}"),
        _ if said.trim().is_empty() => status
            .canonical_reason()
            .unwrap_or("refused")
            .to_lowercase(),
        _ => said.trim().to_owned(),
    };
    let problem = Problem::new(status, detail).into_response();
    // Which methods there are, and what else it said, stays.
    for (name, value) in problem.headers() {
        parts.headers.insert(name, value.clone());
    }
    parts.headers.remove(header::CONTENT_LENGTH);
    Response::from_parts(parts, Body::new(problem.into_body()))
}

fn text<'a>(headers: &'a HeaderMap, name: &HeaderName) -> Option<&'a str> {
    headers.get(name).and_then(|value| value.to_str().ok())
}
