//! What is kept as JSON among the drafts, each kind under a word of its own: the shelf, paper
//! portfolios, expectations.

use std::collections::BTreeMap;

use axum::http::StatusCode;
use engine::State;
use serde::Serialize;
use serde::de::DeserializeOwned;

use crate::app::refusal::Refusal;
use crate::http::AppState;
use crate::http::problem::Problem;

/// Longest name, in characters.
const MOST_NAME: usize = 60;

/// The place of a name of a kind.
///
/// # Errors
/// It is no name.
pub(crate) fn place(kind: &str, name: &str) -> Result<String, Refusal> {
    let length = name.chars().count();
    if name.trim().is_empty() || length > MOST_NAME {
        return Err(Refusal::Field {
            field: "name",
            message: format!("{name:?} is not a name; write 1 to {MOST_NAME} characters"),
        });
    }
    Ok(format!("{kind}/{}", name.trim()))
}

/// Everything of a kind, by name; what another version wrote and this one cannot read is left out.
pub(crate) fn all<T: DeserializeOwned>(state: &State, kind: &str) -> BTreeMap<String, T> {
    let read = |(place, body): (&String, &String)| {
        let name = place.strip_prefix(kind)?.strip_prefix('/')?;
        Some((name.to_owned(), serde_json::from_str(body).ok()?))
    };
    state.drafts.iter().filter_map(read).collect()
}

/// Keeps something in its place; what was there is replaced.
pub(crate) async fn keep(
    app: &AppState,
    place: String,
    what: &impl Serialize,
) -> Result<StatusCode, Problem> {
    let body = serde_json::to_string(what)
        .map_err(|e| Problem::new(StatusCode::UNPROCESSABLE_ENTITY, "bad_body", e.to_string()))?;
    app.command(move |desk| desk.keep_draft(place, Some(body)))
        .await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Throws away what is in a place.
pub(crate) async fn throw_away(app: &AppState, place: String) -> Result<StatusCode, Problem> {
    app.command(move |desk| desk.keep_draft(place, None))
        .await?;
    Ok(StatusCode::NO_CONTENT)
}
