//! Who may talk to the server: only pages it served itself, under names it knows.

use std::sync::Arc;

use axum::extract::{Request, State};
use axum::http::{HeaderMap, HeaderValue, StatusCode, Uri, header};
use axum::middleware::Next;
use axum::response::{IntoResponse, Response};

use crate::error::Problem;

/// Host names under which the server answers, besides loopback.
#[derive(Debug, Clone, Default)]
pub struct AllowedHosts(Arc<Vec<String>>);

impl AllowedHosts {
    /// Loopback and `names`.
    #[must_use]
    pub fn with(names: Vec<String>) -> Self {
        Self(Arc::new(names))
    }

    fn knows(&self, authority: &str) -> bool {
        let host = match authority.rsplit_once(':') {
            Some((host, port)) if port.bytes().all(|b| b.is_ascii_digit()) => host,
            _ => authority,
        };
        matches!(host, "127.0.0.1" | "localhost" | "[::1]") || self.0.iter().any(|h| h == host)
    }
}

/// Refuses unknown hosts and pages of other origins, and tells browsers to be strict.
pub async fn guard(State(hosts): State<AllowedHosts>, request: Request, next: Next) -> Response {
    if let Err(problem) = admit(&hosts, request.headers()) {
        return problem.into_response();
    }
    let mut response = next.run(request).await;
    let headers = response.headers_mut();
    let fixed = [
        (header::X_CONTENT_TYPE_OPTIONS, "nosniff"),
        (header::REFERRER_POLICY, "no-referrer"),
        (header::X_FRAME_OPTIONS, "DENY"),
    ];
    for (name, value) in fixed {
        headers.insert(name, HeaderValue::from_static(value));
    }
    response
}

fn admit(hosts: &AllowedHosts, headers: &HeaderMap) -> Result<(), Problem> {
    let text = |name: header::HeaderName| headers.get(name).and_then(|v| v.to_str().ok());
    let host = text(header::HOST).unwrap_or_default();
    let refused = |what: &str| {
        Err(Problem::new(
            StatusCode::FORBIDDEN,
            format!("{what}; start the server with --allow-host to permit it"),
        ))
    };
    if !hosts.knows(host) {
        return refused(&format!(
            "this server does not answer to the name \"{host}\""
        ));
    }
    if let Some(origin) = text(header::ORIGIN) {
        let from = origin
            .parse::<Uri>()
            .ok()
            .and_then(|u| u.authority().map(ToString::to_string));
        if from.as_deref() != Some(host) {
            return refused(&format!("pages of {origin} may not talk to this server"));
        }
    }
    Ok(())
}
