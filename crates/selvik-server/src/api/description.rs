//! The description of the API: what the types say, and what every operation may answer besides.

use utoipa::OpenApi;
use utoipa::openapi::content::ContentBuilder;
use utoipa::openapi::path::{Operation, Parameter, ParameterIn};
use utoipa::openapi::response::{Response, ResponseBuilder};
use utoipa::openapi::{OpenApi as Document, Ref, RefOr};

use crate::error::Problem;

/// Where the description begins; the routes add what they are.
#[derive(OpenApi)]
#[openapi(
    info(
        title = "Selvik",
        description = "Robot workcells: looking, clearance and reach."
    ),
    components(schemas(crate::live::Event, Problem))
)]
pub struct Description;

/// Adds the refusals that an operation has for what it takes: they come from extractors, limits and the guard, not
/// from itself.
pub fn complete(mut document: Document) -> Document {
    for item in document.paths.paths.values_mut() {
        let operations = [
            &mut item.get,
            &mut item.put,
            &mut item.post,
            &mut item.delete,
            &mut item.patch,
            &mut item.head,
        ];
        operations.into_iter().flatten().for_each(refusals);
    }
    document
}

fn refusals(operation: &mut Operation) {
    let conflicts = operation.responses.responses.contains_key("409");
    let responses = &mut operation.responses.responses;
    let mut add = |status: u16, what: &str| {
        responses.insert(status.to_string(), RefOr::T(problem(what)));
    };
    add(
        403,
        "The name or the origin is one that this server does not answer to.",
    );
    add(
        500,
        "It failed; the log says more under the id of the request.",
    );
    add(
        503,
        "The database does not answer, it took too long, or too much is under way.",
    );
    let parameters = operation.parameters.as_deref().unwrap_or_default();
    if !parameters.is_empty() {
        add(
            400,
            "A part of the path or of the query is not of its kind.",
        );
    }
    if parameters.iter().any(in_path) {
        add(404, "There is no such thing.");
    }
    if let Some(RefOr::T(body)) = &operation.request_body {
        add(400, "The body can't be read.");
        add(413, "The body is too large.");
        add(422, "It can't be done as it stands.");
        if body.content.contains_key("application/json") {
            add(415, "The body is not said to be JSON.");
        }
        if body.content.contains_key("multipart/form-data") {
            add(507, "The disk of the server is full.");
        }
    }
    if conflicts {
        add(409, "Somebody else has changed it meanwhile.");
    }
    // What is computed along the path needs one.
    add(422, "It can't be done as it stands.");
}

fn in_path(parameter: &RefOr<Parameter>) -> bool {
    matches!(parameter, RefOr::T(parameter) if parameter.parameter_in == ParameterIn::Path)
}

fn problem(what: &str) -> Response {
    let content = ContentBuilder::new()
        .schema(Some(Ref::from_schema_name("Problem")))
        .build();
    ResponseBuilder::new()
        .description(what)
        .content("application/problem+json", content)
        .build()
}
