//! Expectations that are kept: what was expected, what came, how sure one was against how often one was
//! right.

use std::collections::BTreeMap;

use axum::Json;
use axum::extract::State;
use axum::http::StatusCode;
use desk::{Moment, Money, recognise};
use engine::state::{State as DeskState, underlying_of};
use market::{Quoter, UnderlyingAt};
use serde::{Deserialize, Serialize};
use studies::scouting::{Ground, brought_by, expected, seen_now};
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::api::kept;
use crate::api::scout::asked::{ExpectationWire, RegionUnit};
use crate::api::scout::expected::refused;
use crate::api::wire::{LegWire, date, holding, money};
use crate::app::refusal::Refusal;
use crate::http::AppState;
use crate::http::problem::{Body, Path, Problem};

/// A structure of the shortlist, as it is kept: bought at the middle when it was put there.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
struct KeptStructure {
    legs: Vec<LegWire>,
    /// Paid, fees among it; received below zero.
    paid: String,
    chosen: bool,
}

/// An expectation as it is kept.
#[derive(Debug, Clone, Serialize, Deserialize)]
struct KeptExpectation {
    symbol: String,
    expectation: ExpectationWire,
    made: String,
    spot: f64,
    market: f64,
    sure: f64,
    note: String,
    shortlist: Vec<KeptStructure>,
}

/// A structure of the shortlist.
#[derive(Debug, Clone, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
struct Shortlisted {
    /// Legs of one package.
    legs: Vec<LegWire>,
    /// It is the one that was taken.
    #[serde(default)]
    chosen: bool,
}

/// An expectation to be kept.
#[derive(Debug, Clone, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
struct KeepExpectation {
    /// Of which underlying.
    symbol: String,
    /// What is expected; of one that is kept already it stays as it was.
    expectation: ExpectationWire,
    /// A sentence of the trader's, up to 300 characters.
    #[serde(default)]
    note: String,
    /// Up to four structures.
    #[serde(default)]
    shortlist: Vec<Shortlisted>,
}

/// What became of a structure.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
struct StructureThen {
    /// "iron condor 205/200 · 175/165".
    name: String,
    /// Legs of one package.
    legs: Vec<LegWire>,
    /// Paid with fees, received below zero.
    paid: String,
    /// It is the one that was taken.
    chosen: bool,
    /// What one package made by the date; absent before it, or where a leg had no market.
    made: Option<String>,
}

/// An expectation that is kept.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
struct ExpectationKept {
    /// The id under which it is kept.
    id: String,
    /// Of which underlying.
    symbol: String,
    /// What is expected, in prices.
    expectation: ExpectationWire,
    /// When it was kept.
    made: String,
    /// The price of the underlying when it was kept.
    spot: f64,
    /// The market's chance of it then.
    market: f64,
    /// One's own chance of it, from 0 to 1.
    sure: f64,
    /// A sentence of the trader's.
    note: String,
    /// The price at its date, once that has passed.
    price: Option<f64>,
    /// Whether that is where it was expected.
    right: Option<bool>,
    /// The structures that were kept with it.
    shortlist: Vec<StructureThen>,
}

/// Expectations of a tenth of certainty.
#[derive(Debug, Clone, Default, PartialEq, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
struct TenthWire {
    /// Sure from, percent.
    from: u8,
    /// Sure up to, percent.
    to: u8,
    /// How many have come to their date.
    count: usize,
    /// How many of them were right.
    right: usize,
    /// How sure one was at the mean, 0 to 1.
    sure: f64,
    /// The market's chance at the mean.
    market: f64,
}

/// All of them.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
struct ExpectationsView {
    /// The newest first.
    kept: Vec<ExpectationKept>,
    /// How sure against how often right, by tenths, those without any left out.
    tenths: Vec<TenthWire>,
}

/// What an expectation is kept as.
const EXPECTATION: &str = "expectation";
const MOST_NOTE: usize = 300;
const MOST_SHORTLIST: usize = 4;

fn field<T>(field: &'static str, message: String) -> Result<T, Refusal> {
    Err(Refusal::Field { field, message })
}

/// The date that is looked at, as of the moment it was kept.
fn due(state: &DeskState, kept: &KeptExpectation) -> Option<(Moment, Moment)> {
    let made: Moment = kept.made.parse().ok()?;
    let seen = UnderlyingAt {
        at: made,
        ..seen_now(state, &kept.symbol).ok()?
    };
    let by = date("by", &kept.expectation.by).ok()?;
    Some((made, Ground::new(seen, by).ok()?.by))
}

fn kept_wire(
    state: &DeskState,
    quoter: &mut Quoter,
    (id, kept): (String, KeptExpectation),
) -> ExpectationKept {
    let now = state.clock.now;
    let due = due(state, &kept).filter(|(_, by)| *by <= now);
    let then = due.map(|(_, by)| by);
    let price = then.and_then(|by| state.world.spot(&kept.symbol, by));
    let price = price.map(desk::Price::to_f64);
    let e = &kept.expectation;
    let right = price.map(|p| e.low.is_none_or(|l| p >= l) && e.high.is_none_or(|h| p <= h));
    let shortlist = kept.shortlist.iter().map(|s| {
        let legs = holding(&s.legs).ok();
        let seen = seen_now(state, &kept.symbol).ok();
        let paid: Option<Money> = s.paid.parse().ok();
        let made = (|| {
            let (at, by) = due?;
            let bought = UnderlyingAt { at, ..seen? };
            Some(money(
                brought_by(&bought, quoter, legs.as_ref()?, by)? - paid?,
            ))
        })();
        let name = seen.zip(legs).map_or_else(String::new, |(seen, legs)| {
            let name = recognise(&legs, seen.underlying).text;
            format!("{name} {}", legs.strikes_label())
        });
        StructureThen {
            name: name.trim_end().to_owned(),
            legs: s.legs.clone(),
            paid: s.paid.clone(),
            chosen: s.chosen,
            made,
        }
    });
    ExpectationKept {
        shortlist: shortlist.collect(),
        id,
        price,
        right,
        symbol: kept.symbol,
        expectation: kept.expectation,
        made: kept.made,
        spot: kept.spot,
        market: kept.market,
        sure: kept.sure,
        note: kept.note,
    }
}

/// How sure against how often right.
fn tenths(kept: &[ExpectationKept]) -> Vec<TenthWire> {
    let mut all: Vec<TenthWire> = (0..10)
        .map(|i| TenthWire {
            from: 10 * i,
            to: 10 * (i + 1),
            ..TenthWire::default()
        })
        .collect();
    for k in kept {
        let Some(right) = k.right else { continue };
        let tenth = &mut all[((k.sure * 10.0) as usize).min(9)];
        tenth.count += 1;
        tenth.right += usize::from(right);
        tenth.sure += k.sure;
        tenth.market += k.market;
    }
    all.retain(|t| t.count > 0);
    for t in &mut all {
        t.sure /= t.count as f64;
        t.market /= t.count as f64;
    }
    all
}

/// Expectations that are kept, with what came of those whose date has passed.
#[utoipa::path(
    get,
    path = "/scout/expectations",
    tag = "drafts",
    responses((status = 200, body = ExpectationsView)),
)]
async fn expectations(State(app): State<AppState>) -> Result<Json<ExpectationsView>, Problem> {
    let view = app.read(|state, quoter| {
        let all = kept::all(state, EXPECTATION).into_iter();
        let mut kept: Vec<ExpectationKept> = all.map(|k| kept_wire(state, quoter, k)).collect();
        kept.sort_by(|a, b| b.made.cmp(&a.made).then_with(|| a.id.cmp(&b.id)));
        ExpectationsView {
            tenths: tenths(&kept),
            kept,
        }
    });
    Ok(Json(view.await?))
}

/// What one package of a structure costs at its middle, fees among it.
fn paid(
    state: &DeskState,
    quoter: &mut Quoter,
    symbol: &str,
    legs: &[LegWire],
) -> Result<Money, Refusal> {
    let proposal = desk::Proposal {
        structure: holding(legs)?,
        entry: desk::EntryPrice::Middle,
        realised: Money::ZERO,
        range: Some((0.0, 0.0)),
        closing: false,
    };
    let e = engine::money::evaluate(state, quoter, symbol, &proposal)?;
    Ok(e.money.fees - e.money.cash)
}

fn to_keep(
    state: &DeskState,
    quoter: &mut Quoter,
    id: &str,
    asked: KeepExpectation,
) -> Result<KeptExpectation, Refusal> {
    let u = underlying_of(state, &asked.symbol)?;
    if asked.note.chars().count() > MOST_NOTE {
        return field("note", format!("write at most {MOST_NOTE} characters"));
    }
    if asked.shortlist.len() > MOST_SHORTLIST {
        return field("shortlist", format!("at most {MOST_SHORTLIST} are kept"));
    }
    let all: BTreeMap<String, KeptExpectation> = kept::all(state, EXPECTATION);
    let mut kept = match all.get(id) {
        Some(known) if known.symbol == asked.symbol => known.clone(),
        Some(_) => return field("symbol", format!("{id} is kept of another underlying")),
        None => {
            let read = asked.expectation.read()?;
            let e = expected(seen_now(state, &u.symbol)?, &read).map_err(|e| refused(&e))?;
            let some = |x: f64| (x > 0.0 && x.is_finite()).then_some(x);
            KeptExpectation {
                symbol: asked.symbol.clone(),
                spot: e.ground.spot.to_f64(),
                market: e.market,
                sure: e.sure,
                expectation: ExpectationWire {
                    low: some(e.region.0),
                    high: some(e.region.1),
                    unit: RegionUnit::Prices,
                    sure: Some(e.sure),
                    ..asked.expectation
                },
                made: state.clock.now.to_string(),
                note: String::new(),
                shortlist: Vec::new(),
            }
        }
    };
    kept.note = asked.note;
    let before = std::mem::take(&mut kept.shortlist);
    for s in asked.shortlist {
        let known = before.iter().find(|b| b.legs == s.legs);
        let paid = match known {
            Some(known) => known.paid.clone(),
            None => money(paid(state, quoter, &kept.symbol, &s.legs)?),
        };
        kept.shortlist.push(KeptStructure {
            legs: s.legs,
            paid,
            chosen: s.chosen,
        });
    }
    Ok(kept)
}

/// Keeps an expectation with the moment, the price and the market's chance of now; of one that is kept
/// already only note and shortlist change.
#[utoipa::path(
    put,
    path = "/scout/expectations/{id}",
    tag = "drafts",
    params(("id" = String, Path)),
    request_body = KeepExpectation,
    responses((status = 204), (status = 404, body = Problem), (status = 422, body = Problem)),
)]
async fn keep_expectation(
    State(app): State<AppState>,
    Path(id): Path<String>,
    Body(asked): Body<KeepExpectation>,
) -> Result<StatusCode, Problem> {
    let place = kept::place(EXPECTATION, &id)?;
    let kept = app
        .read(move |state, quoter| to_keep(state, quoter, &id, asked))
        .await??;
    kept::keep(&app, place, &kept).await
}

/// Throws an expectation away.
#[utoipa::path(
    delete,
    path = "/scout/expectations/{id}",
    tag = "drafts",
    params(("id" = String, Path)),
    responses((status = 204), (status = 422, body = Problem)),
)]
async fn drop_expectation(
    State(app): State<AppState>,
    Path(id): Path<String>,
) -> Result<StatusCode, Problem> {
    kept::throw_away(&app, kept::place(EXPECTATION, &id)?).await
}

pub(crate) fn router() -> OpenApiRouter<AppState> {
    OpenApiRouter::new()
        .routes(routes!(expectations))
        .routes(routes!(keep_expectation))
        .routes(routes!(drop_expectation))
}
