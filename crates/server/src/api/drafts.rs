//! Drafts: structures being considered, kept across restarts; a shelf for those set aside; and
//! drafts as text.

use std::collections::BTreeMap;

use axum::Json;
use axum::extract::State;
use axum::http::StatusCode;
use axum::http::header::CONTENT_TYPE;
use axum::response::IntoResponse;
use engine::state::{State as DeskState, underlying_of};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::api::kept;
use crate::api::wire::entry::{EntryWire, entry};
use crate::api::wire::{LegWire, structure};
use crate::app::refusal::Refusal;
use crate::http::AppState;
use crate::http::problem::{Body, Path, Problem};
use crate::interchange::folder::{legs_csv, read_legs_csv};

/// Where the trader expects the price to be, and when.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct TargetWire {
    /// The price of the underlying that is expected.
    pub price: f64,
    /// The date (ISO); the first expiration when absent.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub date: Option<String>,
}

/// A draft as kept, and as it is written to a file or a link.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct DraftWire {
    /// The symbol of the underlying.
    pub symbol: String,
    /// Legs with full quantities; may be empty while it is being built.
    pub legs: Vec<LegWire>,
    /// What the trader calls it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub name: Option<String>,
    /// What the trader notes about it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub note: Option<String>,
    /// Where its price comes from; the middle when absent.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub entry: Option<EntryWire>,
    /// Where the trader expects the price.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub target: Option<TargetWire>,
}

/// Longest name, and longest note, in characters.
const MOST_NAME: usize = 60;
const MOST_NOTE: usize = 2_000;

impl DraftWire {
    /// Whether it can be kept; contracts may have expired since.
    pub(crate) fn check(&self, state: &DeskState) -> Result<(), Refusal> {
        let refuse = |field: &'static str, message: String| Err(Refusal::Field { field, message });
        let u = underlying_of(state, &self.symbol)?;
        let length = |text: &Option<String>| text.as_ref().map_or(0, |t| t.chars().count());
        if length(&self.name) > MOST_NAME {
            return refuse(
                "name",
                format!(
                    "{} characters; write at most {MOST_NAME}",
                    length(&self.name)
                ),
            );
        }
        if length(&self.note) > MOST_NOTE {
            return refuse(
                "note",
                format!(
                    "{} characters; write at most {MOST_NOTE}",
                    length(&self.note)
                ),
            );
        }
        if let Some(t) = &self.target {
            if !(t.price > 0.0 && t.price.is_finite()) {
                return refuse(
                    "target",
                    format!("{} is not a price; write one above zero", t.price),
                );
            }
            if let Some(date) = t
                .date
                .as_ref()
                .filter(|d| d.parse::<jiff::civil::Date>().is_err())
            {
                return refuse(
                    "target",
                    format!("{date:?} is not a date; write it like 2031-04-18"),
                );
            }
        }
        if !self.legs.is_empty() {
            let structure = structure(&self.legs)?;
            if let Some(wire) = &self.entry {
                entry(wire, &structure.unit(), u.style_of_price)?;
            }
        }
        Ok(())
    }

    fn text(&self) -> Result<String, Problem> {
        serde_json::to_string(self)
            .map_err(|e| Problem::new(StatusCode::UNPROCESSABLE_ENTITY, "bad_body", e.to_string()))
    }
}

/// A draft in its slot.
#[derive(Debug, Serialize, ToSchema)]
pub struct SlottedDraft {
    /// "A" to "D".
    pub slot: String,
    /// The draft as it stands in its place.
    pub draft: DraftWire,
}

const SLOTS: [&str; 4] = ["A", "B", "C", "D"];

fn slot(text: &str) -> Result<String, Refusal> {
    if SLOTS.contains(&text) {
        Ok(text.to_owned())
    } else {
        Err(Refusal::Field {
            field: "slot",
            message: format!("{text:?} is not a place in the tray; use A, B, C or D"),
        })
    }
}

/// All drafts, by slot.
#[utoipa::path(
    get,
    path = "/drafts",
    tag = "drafts",
    responses((status = 200, body = Vec<SlottedDraft>)),
)]
async fn list_drafts(State(app): State<AppState>) -> Json<Vec<SlottedDraft>> {
    let drafts = app.desk.snapshot().drafts;
    let read = |(slot, body): (&String, &String)| {
        Some(SlottedDraft {
            slot: slot.clone(),
            draft: serde_json::from_str(body).ok()?,
        })
    };
    Json(
        drafts
            .iter()
            .filter(|(slot, _)| SLOTS.contains(&slot.as_str()))
            .filter_map(read)
            .collect(),
    )
}

/// Keeps a draft.
#[utoipa::path(
    put,
    path = "/drafts/{slot}",
    tag = "drafts",
    params(("slot" = String, Path)),
    request_body = DraftWire,
    responses((status = 204), (status = 404, body = Problem), (status = 422, body = Problem)),
)]
async fn keep(
    State(app): State<AppState>,
    Path(name): Path<String>,
    Body(draft): Body<DraftWire>,
) -> Result<StatusCode, Problem> {
    let slot = slot(&name)?;
    draft.check(&app.desk.snapshot())?;
    let body = draft.text()?;
    app.command(move |desk| desk.keep_draft(slot, Some(body)))
        .await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Throws a draft away.
#[utoipa::path(
    delete,
    path = "/drafts/{slot}",
    tag = "drafts",
    params(("slot" = String, Path)),
    responses((status = 204), (status = 422, body = Problem)),
)]
async fn discard(
    State(app): State<AppState>,
    Path(name): Path<String>,
) -> Result<StatusCode, Problem> {
    let slot = slot(&name)?;
    app.command(move |desk| desk.keep_draft(slot, None)).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// What a draft on the shelf is kept as.
const SHELF: &str = "shelf";

/// Drafts set aside, by name.
#[utoipa::path(
    get,
    path = "/shelf",
    tag = "drafts",
    responses((status = 200, body = BTreeMap<String, DraftWire>)),
)]
async fn shelf(State(app): State<AppState>) -> Json<BTreeMap<String, DraftWire>> {
    Json(kept::all(&app.desk.snapshot(), SHELF))
}

/// Sets a draft aside under a name; one of the same name is replaced.
#[utoipa::path(
    put,
    path = "/shelf/{name}",
    tag = "drafts",
    params(("name" = String, Path)),
    request_body = DraftWire,
    responses((status = 204), (status = 404, body = Problem), (status = 422, body = Problem)),
)]
async fn set_aside(
    State(app): State<AppState>,
    Path(name): Path<String>,
    Body(draft): Body<DraftWire>,
) -> Result<StatusCode, Problem> {
    let place = kept::place(SHELF, &name)?;
    draft.check(&app.desk.snapshot())?;
    kept::keep(&app, place, &draft).await
}

/// Takes a draft off the shelf.
#[utoipa::path(
    delete,
    path = "/shelf/{name}",
    tag = "drafts",
    params(("name" = String, Path)),
    responses((status = 204), (status = 422, body = Problem)),
)]
async fn take_off(
    State(app): State<AppState>,
    Path(name): Path<String>,
) -> Result<StatusCode, Problem> {
    kept::throw_away(&app, kept::place(SHELF, &name)?).await
}

/// The legs of a draft as a table of contract, quantity and price.
#[utoipa::path(
    post,
    path = "/drafts/csv",
    tag = "drafts",
    request_body = DraftWire,
    responses(
        (status = 200, content_type = "text/csv", body = String),
        (status = 404, body = Problem), (status = 422, body = Problem),
    ),
)]
async fn as_csv(
    State(app): State<AppState>,
    Body(draft): Body<DraftWire>,
) -> Result<impl IntoResponse, Problem> {
    draft.check(&app.desk.snapshot())?;
    let prices = if let Some(EntryWire::Legs(prices)) = &draft.entry {
        prices.clone()
    } else {
        BTreeMap::new()
    };
    let text = legs_csv(draft.legs.iter().map(|l| {
        (
            l.contract.clone(),
            l.quantity,
            prices.get(&l.contract).cloned(),
        )
    }));
    Ok(([(CONTENT_TYPE, "text/csv; charset=utf-8")], text))
}

/// Text that may be a draft.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct DraftText {
    /// A draft as JSON, or a table of legs.
    pub text: String,
}

/// A draft that was read.
#[derive(Debug, Serialize, ToSchema)]
pub struct DraftRead {
    /// The draft that the text stands for.
    pub draft: DraftWire,
    /// Contracts that have expired since it was written.
    pub expired: Vec<String>,
}

fn read_draft(state: &DeskState, text: &str) -> Result<DraftRead, Refusal> {
    let bad = |message: String| Refusal::Field {
        field: "text",
        message,
    };
    let draft: DraftWire = if text.trim_start().starts_with('{') {
        serde_json::from_str(text).map_err(|e| bad(format!("no draft: {e}")))?
    } else {
        let rows = read_legs_csv(text).map_err(bad)?;
        let legs: Vec<LegWire> = rows
            .iter()
            .map(|(i, quantity, _)| LegWire {
                contract: i.to_string(),
                quantity: *quantity,
            })
            .collect();
        let prices: BTreeMap<String, String> = rows
            .iter()
            .filter_map(|(i, _, price)| Some((i.to_string(), price.clone()?)))
            .collect();
        let Some(u) = rows
            .first()
            .and_then(|(i, _, _)| state.world.underlying_of(i))
        else {
            return Err(bad("the first leg belongs to no known underlying".into()));
        };
        let entry = (!prices.is_empty()).then_some(EntryWire::Legs(prices));
        DraftWire {
            symbol: u.symbol.clone(),
            legs,
            name: None,
            note: None,
            entry,
            target: None,
        }
    };
    draft.check(state)?;
    let (u, structure) = (
        underlying_of(state, &draft.symbol)?,
        structure(&draft.legs)?,
    );
    for leg in structure.legs() {
        if state
            .world
            .underlying_of(&leg.instrument)
            .is_none_or(|of| of.symbol != u.symbol)
        {
            return Err(Refusal::OtherUnderlying(
                leg.instrument.clone(),
                u.symbol.clone(),
            ));
        }
    }
    let gone = structure
        .options()
        .filter(|(c, _)| u.expiry_moment(c) <= state.clock.now);
    let expired = gone
        .map(|(c, _)| format!("{}, {}", c.label(), desk::short_date(c.expiry)))
        .collect();
    Ok(DraftRead { draft, expired })
}

/// Reads a draft from text: of a file, a link or the clipboard.
#[utoipa::path(
    post,
    path = "/drafts/read",
    tag = "drafts",
    request_body = DraftText,
    responses((status = 200, body = DraftRead), (status = 422, body = Problem)),
)]
async fn read_text(
    State(app): State<AppState>,
    Body(text): Body<DraftText>,
) -> Result<Json<DraftRead>, Problem> {
    Ok(Json(read_draft(&app.desk.snapshot(), &text.text)?))
}

pub(crate) fn router() -> OpenApiRouter<AppState> {
    OpenApiRouter::new()
        .routes(routes!(list_drafts))
        .routes(routes!(keep, discard))
        .routes(routes!(shelf))
        .routes(routes!(set_aside, take_off))
        .routes(routes!(as_csv))
        .routes(routes!(read_text))
}
