//! The built front end, which ships inside the binary.

use axum::http::{StatusCode, Uri, header};
use axum::response::{IntoResponse, Response};
use base64::Engine;
use rust_embed::Embed;

use crate::error::Problem;

#[derive(Embed)]
#[folder = "../../web/dist"]
struct Built;

/// A file of the front end; any other path is the application itself.
pub async fn page(uri: Uri) -> Response {
    let path = uri.path().trim_start_matches('/');
    if path.starts_with("api/") {
        return Problem::missing(format!("there is no {path}")).into_response();
    }
    match Built::get(path).filter(|_| path != "index.html" && !path.is_empty()) {
        Some(file) => {
            let kind = mime_guess::from_path(path).first_or_octet_stream();
            // Names below assets/ carry a hash of the content.
            let keep = if path.starts_with("assets/") {
                "public, max-age=31536000, immutable"
            } else {
                "no-cache"
            };
            let headers = [
                (header::CONTENT_TYPE, kind.as_ref()),
                (header::CACHE_CONTROL, keep),
            ];
            (headers, file.data.into_owned()).into_response()
        }
        None if path.starts_with("assets/") => StatusCode::NOT_FOUND.into_response(),
        None => index(),
    }
}

/// The page, with the version and a fresh nonce for the one style sheet that is made in the browser.
fn index() -> Response {
    let Some(file) = Built::get("index.html") else {
        let message = "the front end is not built; run make web";
        return (StatusCode::SERVICE_UNAVAILABLE, message).into_response();
    };
    let nonce = base64::engine::general_purpose::STANDARD_NO_PAD.encode(rand::random::<[u8; 16]>());
    let page = String::from_utf8_lossy(&file.data)
        .replace("NONCE", &nonce)
        .replace("VERSION", env!("CARGO_PKG_VERSION"));
    let policy = format!(
        "default-src 'none'; script-src 'self'; style-src 'self' 'nonce-{nonce}'; style-src-attr 'unsafe-inline'; \
         img-src 'self' data: blob:; font-src 'self'; connect-src 'self'; worker-src 'self'; \
         base-uri 'none'; form-action 'none'; frame-ancestors 'none'"
    );
    let headers = [
        (header::CONTENT_TYPE, "text/html; charset=utf-8".to_owned()),
        (header::CACHE_CONTROL, "no-store".to_owned()),
        (header::CONTENT_SECURITY_POLICY, policy),
    ];
    (headers, page).into_response()
}
