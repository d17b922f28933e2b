//! The drills that are kept, and a drill read back: its text, and what it means in sentences.

use std::collections::BTreeMap;

use axum::Json;
use axum::extract::State;
use axum::http::StatusCode;
use plans::drill::drill_words;
use serde::{Deserialize, Serialize};
use serde_json::Value;
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use super::{DrillAsked, wrong};
use crate::api::kept;
use crate::app::beside::DRILL;
use crate::app::refusal::Refusal;
use crate::http::AppState;
use crate::http::problem::{Body, Path, Problem};
use crate::interchange::drill::{Combination, DrillText, drill_toml, varied};

/// A drill as text.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
struct DrillToml {
    /// The drill as TOML text.
    toml: String,
}

/// A drill read back.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
struct DrillRead {
    /// The drill as the fields of a form.
    drill: Value,
    /// The drill as TOML text.
    toml: String,
    /// In sentences; of one whose numbers are lists the first of them.
    words: Vec<String>,
    /// How many drills it stands for.
    count: usize,
    /// Where its numbers are lists.
    varied: Vec<String>,
    /// What is wrong with it.
    problem: Option<String>,
}

fn read(drill: Value) -> DrillRead {
    let all = combinations_of(&drill);
    let words = all.as_ref().map_err(Clone::clone).and_then(|all| {
        let first = all.first().ok_or("it is empty")?;
        // Each of them must be right, not only the first.
        for (_, text) in all {
            text.drill()?;
        }
        Ok(drill_words(&first.1.drill()?))
    });
    DrillRead {
        toml: drill_toml(&drill),
        count: all.as_ref().map_or(0, Vec::len),
        varied: varied(&drill).into_iter().map(|v| v.place).collect(),
        problem: words.as_ref().err().cloned(),
        words: words.unwrap_or_default(),
        drill,
    }
}

fn combinations_of(drill: &Value) -> Result<Vec<Combination>, String> {
    crate::interchange::drill::combinations(drill)
}

/// Reads a drill back: its text and its sentences, or what is wrong with it.
#[utoipa::path(
    post,
    path = "/drills/read",
    tag = "drills",
    request_body = DrillAsked,
    responses((status = 200, body = DrillRead)),
)]
async fn read_drill(Body(asked): Body<DrillAsked>) -> Json<DrillRead> {
    Json(read(asked.drill))
}

/// Reads the text of a drill.
#[utoipa::path(
    post,
    path = "/drills/text",
    tag = "drills",
    request_body = DrillToml,
    responses((status = 200, body = DrillRead), (status = 422, body = Problem)),
)]
async fn read_drill_text(Body(text): Body<DrillToml>) -> Result<Json<DrillRead>, Problem> {
    let value: Value =
        toml::from_str(&text.toml).map_err(|e| wrong(e.to_string().trim_end().to_owned()))?;
    // A single drill is told with its line.
    if varied(&value).is_empty() {
        let one: DrillText = text.toml.parse().map_err(wrong)?;
        let value = serde_json::to_value(one).map_err(|e| wrong(e.to_string()))?;
        return Ok(Json(read(value)));
    }
    Ok(Json(read(value)))
}

/// The drills that are kept, by name.
#[utoipa::path(
    get,
    path = "/drills",
    tag = "drills",
    responses((status = 200, body = BTreeMap<String, Value>)),
)]
async fn drills(State(app): State<AppState>) -> Json<BTreeMap<String, Value>> {
    Json(kept::all(&app.desk.snapshot(), DRILL))
}

/// Keeps a drill under a name; one of the same name is replaced.
#[utoipa::path(
    put,
    path = "/drills/{name}",
    tag = "drills",
    params(("name" = String, Path)),
    request_body = DrillAsked,
    responses((status = 204), (status = 422, body = Problem)),
)]
async fn keep_drill(
    State(app): State<AppState>,
    Path(name): Path<String>,
    Body(asked): Body<DrillAsked>,
) -> Result<StatusCode, Problem> {
    let place = kept::place(DRILL, &name)?;
    let right = || -> Result<(), Refusal> {
        for (_, text) in asked.all()? {
            text.drill().map_err(wrong)?;
        }
        Ok(())
    };
    right()?;
    kept::keep(&app, place, &asked.drill).await
}

/// Throws a kept drill away.
#[utoipa::path(
    delete,
    path = "/drills/{name}",
    tag = "drills",
    params(("name" = String, Path)),
    responses((status = 204), (status = 422, body = Problem)),
)]
async fn throw_drill_away(
    State(app): State<AppState>,
    Path(name): Path<String>,
) -> Result<StatusCode, Problem> {
    kept::throw_away(&app, kept::place(DRILL, &name)?).await
}

pub(super) fn router() -> OpenApiRouter<AppState> {
    OpenApiRouter::new()
        .routes(routes!(drills))
        .routes(routes!(read_drill))
        .routes(routes!(read_drill_text))
        .routes(routes!(keep_drill, throw_drill_away))
}
