//! Drills beside the account: what each would have done since, and what was done by hand.

use axum::Json;
use axum::extract::State;
use axum::http::StatusCode;
use desk::Money;
use engine::state::State as DeskState;
use serde::{Deserialize, Serialize};
use studies::lessons::tags_of;
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use super::wrong;
use crate::api::kept;
use crate::api::streamed::in_background;
use crate::api::wire::{LegWire, legs_wire, moment, money};
use crate::app::beside::{BESIDE, Beside, DRILL, Since, TAG, beside, is_open, lived};
use crate::http::AppState;
use crate::http::problem::{Body, Path, Problem};

/// Whether a drill stands beside the account.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
struct BesideRequest {
    /// It does, from now on.
    on: bool,
}

/// A cycle that a drill would have.
#[derive(Debug, Serialize, ToSchema)]
struct WouldWire {
    /// Its number since it stands beside the account.
    cycle: usize,
    /// When it would have entered.
    entered: String,
    /// When and why it would have left; absent while it is open.
    left: Option<String>,
    why: Option<String>,
    /// What it would hold now.
    legs: Vec<LegWire>,
    /// The strikes that it would hold, as text.
    strikes: String,
    /// The profit that it would have, in money.
    profit: String,
}

/// What it did last, and the trade that follows it.
#[derive(Debug, Serialize, ToSchema)]
struct DeedWire {
    /// The moment of the deed, with its offset.
    at: String,
    /// enter | adjust N | leave.
    action: String,
    /// What has to be bought, sold below zero, to go along.
    legs: Vec<LegWire>,
}

/// A campaign that follows a drill.
#[derive(Debug, Serialize, ToSchema)]
struct MineWire {
    /// The number of the campaign.
    campaign: u64,
    /// When it was opened.
    opened: Option<String>,
    /// It is open still.
    open: bool,
    /// What was realised, fees taken off.
    booked: String,
}

/// A drill beside the account.
#[derive(Debug, Serialize, ToSchema)]
struct BesideWire {
    /// The name of the drill.
    name: String,
    /// The symbol of the underlying it is followed on.
    symbol: String,
    /// The moment from which it is followed, with its offset.
    since: String,
    /// What it would have done.
    would: Vec<WouldWire>,
    /// Sum of that.
    sum: String,
    /// What it did last.
    last: Option<DeedWire>,
    /// What was done by hand: campaigns with its tag.
    mine: Vec<MineWire>,
    /// Sum of what they realised.
    mine_sum: String,
    /// The tag by which a trade follows it.
    tag: String,
    /// Why it cannot be followed.
    problem: Option<String>,
}

fn mine(state: &DeskState, tag: &str) -> (Vec<MineWire>, Money) {
    let followed = state.account.campaigns().filter(|c| {
        let tags = tags_of(state, c);
        tags.iter().any(|t| t == tag)
    });
    let mut sum = Money::ZERO;
    let all = followed.map(|c| {
        sum += c.totals.booked();
        MineWire {
            campaign: c.id,
            opened: c.opened().map(moment),
            open: state.account.lots_of(c.id).next().is_some(),
            booked: money(c.totals.booked()),
        }
    });
    (all.collect(), sum)
}

fn one(state: &DeskState, b: &Beside) -> BesideWire {
    let lived = lived(state, b);
    let tag = format!("{TAG}{}", b.name);
    let (mine, mine_sum) = mine(state, &tag);
    let mut sum = Money::ZERO;
    let mut would = Vec::new();
    for (i, c) in lived.iter().flat_map(|l| l.played.done()).enumerate() {
        let open = is_open(c);
        // What is open is told as it was marked at its last look.
        let marked = c.looks.iter().rev().skip(usize::from(open));
        let last = marked.clone().next();
        let profit = if open {
            last.and_then(|r| r.profit).unwrap_or_default()
        } else {
            c.profit()
        };
        sum += profit;
        would.push(WouldWire {
            cycle: i + 1,
            entered: moment(c.entered),
            left: (!open).then(|| moment(c.left)),
            why: (!open).then(|| c.why.to_string()),
            legs: last
                .filter(|_| open)
                .map_or_else(Vec::new, |r| legs_wire(&r.legs)),
            strikes: c.legs.strikes_label(),
            profit: money(profit),
        });
    }
    let last = lived.as_ref().ok().and_then(|l| l.deeds.last());
    BesideWire {
        name: b.name.clone(),
        symbol: b.drill.symbol.clone(),
        since: moment(b.since),
        would,
        sum: money(sum),
        last: last.map(|d| DeedWire {
            at: moment(d.at),
            action: d.action.to_string(),
            legs: legs_wire(&d.after.plus(&d.before.reversed())),
        }),
        mine,
        mine_sum: money(mine_sum),
        tag,
        problem: lived.as_ref().err().map(ToString::to_string),
    }
}

/// The drills beside the account: what each would have done, and what was done by hand.
#[utoipa::path(get, path = "/drills/beside", tag = "drills",
    responses((status = 200, body = Vec<BesideWire>)))]
async fn drills_beside(State(app): State<AppState>) -> Result<Json<Vec<BesideWire>>, Problem> {
    let all = app.read(|state, _| {
        in_background(|| {
            beside(state)
                .iter()
                .map(|b| one(state, b))
                .collect::<Vec<_>>()
        })
    });
    Ok(Json(all.await?))
}

/// Sets a kept drill beside the account from now on, or takes it away.
#[utoipa::path(
    put,
    path = "/drills/{name}/beside",
    tag = "drills",
    params(("name" = String, Path)),
    request_body = BesideRequest,
    responses((status = 204), (status = 422, body = Problem)),
)]
async fn set_beside(
    State(app): State<AppState>,
    Path(name): Path<String>,
    Body(request): Body<BesideRequest>,
) -> Result<StatusCode, Problem> {
    let place = kept::place(BESIDE, &name)?;
    let state = app.desk.snapshot();
    if !request.on {
        return kept::throw_away(&app, place).await;
    }
    if !state.drafts.contains_key(&kept::place(DRILL, &name)?) {
        return Err(wrong(format!("no drill {name:?} is kept; keep it first")).into());
    }
    let since = Since {
        since: state.clock.now.millis(),
    };
    kept::keep(&app, place, &since).await
}

pub(super) fn router() -> OpenApiRouter<AppState> {
    OpenApiRouter::new()
        .routes(routes!(drills_beside))
        .routes(routes!(set_beside))
}
