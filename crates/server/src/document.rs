//! The OpenAPI document: what each operation says of itself, and what every one can answer besides.
//!
//! An operation names what comes of its own work. What the guard, the reading of a request and the
//! keeping of a change can answer is the same for all of a kind, and is added here once.

use utoipa::openapi::path::{HttpMethod, Operation};
use utoipa::openapi::{Content, OpenApi, Ref, RefOr, ResponseBuilder};

/// Statuses of any operation, and why.
const ALWAYS: [(u16, &str); 3] = [
    (401, "The token is missing or another one."),
    (421, "The Host header is not an address of this program."),
    (503, "The program is stopping."),
];
/// Of one that writes or is asked by a browser's script.
const POSTED: [(u16, &str); 1] = [(403, "The Origin header is another site's.")];
/// Of one with a body.
const WITH_BODY: [(u16, &str); 4] = [
    (400, "The body is no JSON, or the address cannot be read."),
    (413, "The body is too large."),
    (415, "The body is not said to be what it has to be."),
    (
        422,
        "A field is missing, unknown, or says what makes no sense.",
    ),
];
/// Of one with parameters.
const WITH_PARAMETERS: [(u16, &str); 1] = [(400, "The address cannot be read.")];
/// Of one that changes something.
const COMMANDS: [(u16, &str); 4] = [
    (
        409,
        "The books can only be read: they do not reconcile. Or it was done before.",
    ),
    (
        500,
        "The change would leave books that do not reconcile; nothing was done.",
    ),
    (
        503,
        "The file is held by another program, or the program is stopping; nothing was done.",
    ),
    (507, "There is no room on the disk; nothing was done."),
];

/// Adds what every operation of a kind can answer to what each says of itself.
pub(crate) fn complete(mut document: OpenApi) -> OpenApi {
    for (path, item) in &mut document.paths.paths {
        let operations = [
            (HttpMethod::Get, &mut item.get),
            (HttpMethod::Post, &mut item.post),
            (HttpMethod::Put, &mut item.put),
            (HttpMethod::Delete, &mut item.delete),
        ];
        for (method, operation) in operations {
            if let Some(operation) = operation {
                answer(path, &method, operation);
            }
        }
    }
    document
}

/// A question that is posted because it is long: it changes nothing.
fn asks(path: &str, operation: &Operation) -> bool {
    let evaluates = |tag: &String| tag == "evaluate";
    operation.tags.iter().flatten().any(evaluates)
        || ["/api/drafts/csv", "/api/drafts/read"].contains(&path)
}

fn answer(path: &str, method: &HttpMethod, operation: &mut Operation) {
    let posted = !matches!(method, HttpMethod::Get);
    let mut statuses: Vec<(u16, &str)> = Vec::new();
    if posted && !asks(path, operation) {
        statuses.extend(COMMANDS);
    }
    statuses.extend(ALWAYS);
    if posted {
        statuses.extend(POSTED);
    }
    if operation.request_body.is_some() {
        statuses.extend(WITH_BODY);
    }
    if operation.parameters.as_ref().is_some_and(|p| !p.is_empty()) {
        statuses.extend(WITH_PARAMETERS);
    }
    for (status, why) in statuses {
        operation
            .responses
            .responses
            .entry(status.to_string())
            .or_insert_with(|| {
                let problem = Content::new(Some(Ref::from_schema_name("Problem")));
                RefOr::T(
                    ResponseBuilder::new()
                        .description(why)
                        .content("application/json", problem)
                        .build(),
                )
            });
    }
}
