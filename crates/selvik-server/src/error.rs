use axum::Json;
use axum::extract::multipart::MultipartError;
use axum::http::{HeaderValue, StatusCode, header};
use axum::response::{IntoResponse, Response};
use selvik_formats::FormatError;
use selvik_store::StoreError;
use serde::Serialize;
use utoipa::ToSchema;

/// A problem document (RFC 9457).
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct Problem {
    /// The status in words.
    pub title: String,
    /// The HTTP status.
    pub status: u16,
    /// What is wrong and what to do.
    pub detail: String,
    /// What failed inside: for the log, not for the client.
    #[serde(skip)]
    pub cause: Option<String>,
}

/// What failed inside, on its way to the log.
#[derive(Debug, Clone)]
pub struct Cause(pub String);

impl Problem {
    /// A problem of the given status.
    pub fn new(status: StatusCode, detail: impl std::fmt::Display) -> Self {
        Self {
            title: status.canonical_reason().unwrap_or("Error").to_owned(),
            status: status.as_u16(),
            detail: detail.to_string(),
            cause: None,
        }
    }

    /// Something that failed and should not have.
    pub fn failed(status: StatusCode, detail: &str, cause: impl std::fmt::Display) -> Self {
        Self {
            cause: Some(cause.to_string()),
            ..Self::new(status, detail)
        }
    }

    /// As it is told over a socket.
    pub fn to_json(&self) -> String {
        serde_json::to_string(self).expect("plain data")
    }

    /// Something that is not there.
    pub fn missing(detail: impl std::fmt::Display) -> Self {
        Self::new(StatusCode::NOT_FOUND, detail)
    }

    /// A request that can't be done as it stands.
    pub fn refused(detail: impl std::fmt::Display) -> Self {
        Self::new(StatusCode::UNPROCESSABLE_ENTITY, detail)
    }
}

impl From<StoreError> for Problem {
    fn from(error: StoreError) -> Self {
        let status = match &error {
            StoreError::Outdated | StoreError::Database(_) => {
                let detail = "the database does not answer as it should; try again in a moment";
                return Self::failed(StatusCode::SERVICE_UNAVAILABLE, detail, error);
            }
            StoreError::NoCell => StatusCode::NOT_FOUND,
            StoreError::Conflict { .. } | StoreError::Moved | StoreError::OtherStep { .. } => {
                StatusCode::CONFLICT
            }
            StoreError::Nothing(_) | StoreError::Refused(_) => StatusCode::UNPROCESSABLE_ENTITY,
        };
        Self::new(status, error)
    }
}

impl From<FormatError> for Problem {
    fn from(error: FormatError) -> Self {
        Self::refused(error)
    }
}

impl From<MultipartError> for Problem {
    fn from(error: MultipartError) -> Self {
        Self::new(error.status(), error.body_text())
    }
}

impl From<tokio::task::JoinError> for Problem {
    fn from(error: tokio::task::JoinError) -> Self {
        let detail =
            "this went wrong inside the server; its log says more under the id of the request";
        Self::failed(StatusCode::INTERNAL_SERVER_ERROR, detail, error)
    }
}

impl IntoResponse for Problem {
    fn into_response(mut self) -> Response {
        let cause = self.cause.take();
        let status = StatusCode::from_u16(self.status).unwrap_or(StatusCode::INTERNAL_SERVER_ERROR);
        let mut response = (status, Json(self)).into_response();
        let kind = HeaderValue::from_static("application/problem+json");
        response.headers_mut().insert(header::CONTENT_TYPE, kind);
        if let Some(cause) = cause {
            response.extensions_mut().insert(Cause(cause));
        }
        response
    }
}
