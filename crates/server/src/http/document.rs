//! The OpenAPI document: what each operation says of itself, and what every one can answer besides.
//!
//! An operation names what comes of its own work. What the guard, the reading of a request and the
//! keeping of a change can answer is the same for all of a kind, and is added here once.

use utoipa::openapi::path::{HttpMethod, Operation};
use utoipa::openapi::{Components, Content, OpenApi, Ref, RefOr, ResponseBuilder};

/// An answer that many operations can give: its status, its name in the document, and why.
type Common = (u16, &'static str, &'static str);

/// Of any operation.
const ALWAYS: [Common; 4] = [
    (401, "NoToken", "The token is missing or another one."),
    (
        421,
        "WrongHost",
        "The Host header is not an address of this program.",
    ),
    (500, "Fault", "A fault of the program; nothing was changed."),
    (503, "Stopping", "The program is stopping."),
];
/// Of one that is not a plain reading.
const POSTED: [Common; 1] = [(403, "WrongOrigin", "The Origin header is another site's.")];
/// Of one with a body.
const WITH_BODY: [Common; 4] = [
    (
        400,
        "Unreadable",
        "The body is no JSON, or the address cannot be read.",
    ),
    (413, "TooLarge", "The body is too large."),
    (
        415,
        "WrongType",
        "The body is not said to be what it has to be.",
    ),
    (
        422,
        "Senseless",
        "A field is missing, unknown, or says what makes no sense.",
    ),
];
/// Of one with parameters.
const WITH_PARAMETERS: [Common; 1] = [(400, "Unreadable", "")];
/// Of one that changes something.
const COMMANDS: [Common; 3] = [
    (
        409,
        "ReadOnly",
        "The books do not reconcile and can only be read. Or it was done before.",
    ),
    (
        503,
        "NotKept",
        "The file is held by another program, or the program is stopping.",
    ),
    (
        507,
        "DiskFull",
        "There is no room on the disk; nothing was done.",
    ),
];

/// Adds what every operation of a kind can answer to what each says of itself.
pub(crate) fn complete(mut document: OpenApi) -> OpenApi {
    let components = document.components.get_or_insert_with(Components::new);
    let named = [&ALWAYS[..], &POSTED, &WITH_BODY, &COMMANDS];
    for (_, name, why) in named.into_iter().flatten() {
        let problem = Content::new(Some(Ref::from_schema_name("Problem")));
        let answer = ResponseBuilder::new()
            .description(*why)
            .content("application/json", problem)
            .build();
        components
            .responses
            .insert((*name).into(), RefOr::T(answer));
    }
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
    let mut statuses: Vec<Common> = Vec::new();
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
    for (status, name, _) in statuses {
        operation
            .responses
            .responses
            .entry(status.to_string())
            .or_insert_with(|| RefOr::Ref(Ref::from_response_name(name)));
    }
}
