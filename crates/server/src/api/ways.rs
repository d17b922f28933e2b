//! Ways out of a campaign: asked "what could I do?".

use axum::Json;
use axum::extract::State;
use desk::rules::{Measure as Rules, Side, Subject, most_at_risk, ruling};
use desk::{Money, Price};
use engine::State as DeskState;
use engine::campaigns::{self, standing};
use engine::money;
use engine::state::underlying_of;
use market::Quoter;
use plans::rework::{Limits, Measure, Out};
use serde::{Deserialize, Serialize};
use studies::ways::{Search, WayOut, ways_out};
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::api::account::book::lean_now;
use crate::api::rework::{ReworkAt, name_of};
use crate::api::wire::{
    EvenWire, ExtentWire, LegWire, NetPrice, even, extent, legs_wire, money as money_wire,
    net_price,
};
use crate::app::refusal::Refusal;
use crate::http::AppState;
use crate::http::problem::{Body, Path, Problem};

/// What a way has to keep; each absent: no such limit.
#[derive(Debug, Default, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase", deny_unknown_fields)]
struct WaysLimits {
    /// Received for the change at least, before fees; below zero: paid at most.
    #[serde(default)]
    credit: Option<String>,
    /// Loss of the whole campaign at most.
    #[serde(default)]
    loss: Option<String>,
    /// Calendar days to its first expiration at least.
    #[serde(default)]
    days_from: Option<i64>,
    /// And at most.
    #[serde(default)]
    days_to: Option<i64>,
    /// Lean of the whole book at least.
    #[serde(default)]
    lean_from: Option<f64>,
    /// And at most.
    #[serde(default)]
    lean_to: Option<f64>,
    /// Tied up at most.
    #[serde(default)]
    capital: Option<String>,
    /// From rest to cross of the change at most, in its price.
    #[serde(default)]
    width: Option<String>,
}

/// What the best is measured by.
#[derive(Debug, Clone, Copy, Default, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
enum WaysMeasure {
    /// Chance that the campaign ends in profit.
    #[default]
    Chance,
    /// Received for each day that it lasts.
    CreditADay,
    /// Lean of the book nearest to zero.
    Lean,
    /// The least maximum loss.
    Loss,
    /// The most room to the nearest break-even.
    Room,
}

/// What is looked for.
#[derive(Debug, Default, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase", deny_unknown_fields)]
struct WaysRequest {
    /// At which price the change is counted.
    #[serde(default)]
    at: ReworkAt,
    /// What a way must keep to be listed.
    #[serde(default)]
    limits: WaysLimits,
    /// What the best is measured by.
    #[serde(default)]
    measure: WaysMeasure,
}

fn wrong(field: &'static str, message: String) -> Refusal {
    Refusal::Field { field, message }
}

impl WaysLimits {
    fn parse(&self) -> Result<Limits, Refusal> {
        let amount = |field, text: &Option<String>| {
            let read = |t: &String| {
                t.parse::<Money>()
                    .map_err(|e| wrong(field, format!("{t:?} is not an amount: {e}")))
            };
            text.as_ref().map(read).transpose()
        };
        let positive = |field, text| match amount(field, text)? {
            Some(m) if m < Money::ZERO => Err(wrong(
                field,
                format!("{m} is below zero; write the amount without a sign"),
            )),
            other => Ok(other),
        };
        let days = (self.days_from, self.days_to);
        if let (Some(a), Some(b)) = days
            && a > b
        {
            return Err(wrong("daysFrom", format!("from {a} to {b} days is empty")));
        }
        let lean = (self.lean_from, self.lean_to);
        if let (Some(a), Some(b)) = lean
            && a > b
        {
            return Err(wrong("leanFrom", format!("from {a} to {b} is empty")));
        }
        let width = self.width.as_ref().map(|t| {
            t.parse::<Price>()
                .map_err(|e| wrong("width", format!("{t:?} is not a price: {e}")))
        });
        Ok(Limits {
            credit: amount("credit", &self.credit)?,
            loss: positive("loss", &self.loss)?,
            days: (days != (None, None)).then(|| (days.0.unwrap_or(0), days.1.unwrap_or(i64::MAX))),
            lean: (lean != (None, None)).then(|| {
                (
                    lean.0.unwrap_or(f64::NEG_INFINITY),
                    lean.1.unwrap_or(f64::INFINITY),
                )
            }),
            capital: positive("capital", &self.capital)?,
            width: width.transpose()?,
        })
    }
}

/// A way out.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
struct WayWire {
    /// What would be held, by name.
    name: String,
    /// The moves in words.
    words: String,
    /// What they change for the better and the worse.
    why: String,
    /// What would be held, to be sent to rework.
    then: Vec<LegWire>,
    /// Net price of one package of the change.
    price: NetPrice,
    /// Cash of the change before fees, received above zero.
    cash: String,
    /// Commissions of the order, in money.
    fees: String,
    /// Most to make with the whole campaign.
    most: ExtentWire,
    /// Most to lose with it.
    least: ExtentWire,
    /// Break-evens of it.
    evens: Vec<EvenWire>,
    /// Chance that it ends in profit.
    chance: f64,
    /// Calendar days to its first expiration.
    days: i64,
    /// Lean of the book.
    lean: f64,
    /// Tied up afterwards, taken alone.
    capital: String,
    /// Received for each day that it lasts.
    credit_a_day: f64,
    /// Deviations to the nearest break-even, below zero where it ends in a loss at the price now;
    /// absent without a break-even.
    room: Option<f64>,
}

/// What rules so many out.
#[derive(Debug, Serialize, ToSchema)]
struct RuledOut {
    /// Why they were ruled out, in words.
    why: String,
    /// How many were ruled out for it.
    count: usize,
}

/// What was found.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
struct WaysWire {
    /// Different holdings that were looked at.
    looked: usize,
    /// How many of them kept within the limits.
    kept: usize,
    /// Working orders that wait to close some of what is held: while they do, the ticket refuses
    /// whatever else would close it.
    waiting: Vec<u64>,
    /// What ruled the others out, the most first.
    ruled_out: Vec<RuledOut>,
    /// Limits that stood empty and are the trader's own rules.
    by_rule: Vec<String>,
    /// The best, the best first; at most three of one kind of move.
    ways: Vec<WayWire>,
}

fn out_words(out: Out) -> &'static str {
    match out {
        Out::Order => "are more than one order may send",
        Out::Credit => "bring less, or cost more, than the limit",
        Out::Loss => "can lose more than the limit",
        Out::Days => "end sooner or later than the limits",
        Out::Lean => "leave the book outside the band of its lean",
        Out::Width => "have a wider market than the limit",
        Out::Capital => "tie up more than the limit",
        Out::Waiting => "close what a working order waits to close",
        Out::Refused => "would be refused by the ticket",
        Out::Unvalued => "have a leg without a market",
    }
}

/// "ends in profit with 71 % instead of 52 %; max loss 380.00 instead of 240.00; receives 12.00".
fn why(w: &WayOut, before: &desk::Evaluation, after: &desk::Evaluation) -> String {
    let percent = |p: f64| format!("{:.0} %", 100.0 * p);
    let loss = |e: &desk::Evaluation| match e.horizon.shape.least.limited() {
        None => "without a limit".to_owned(),
        Some(l) if l > Money::ZERO => format!("none, at least {} are made", l.grouped()),
        Some(l) => (-l).grouped(),
    };
    let mut said = vec![format!(
        "ends in profit with {} instead of {}",
        percent(after.chance_of_profit),
        percent(before.chance_of_profit)
    )];
    let (then, now) = (loss(after), loss(before));
    if then != now {
        said.push(format!("max loss {then} instead of {now}"));
    }
    let days = after.horizon.days - before.horizon.days;
    if days != 0 {
        let way = if days > 0 { "longer" } else { "shorter" };
        let many = if days.abs() == 1 { "" } else { "s" };
        said.push(format!("{} day{many} {way}", days.abs()));
    }
    let cash = w.order.money.cash;
    said.push(match cash.cmp(&Money::ZERO) {
        std::cmp::Ordering::Greater => format!("{} are received", cash.grouped()),
        std::cmp::Ordering::Equal => "nothing is paid".into(),
        std::cmp::Ordering::Less => format!("{} are paid", (-cash).grouped()),
    });
    said.join("; ")
}

fn wire(w: &WayOut, before: &desk::Evaluation, u: &desk::Underlying) -> Option<WayWire> {
    let e = w.left.evaluation.as_ref()?;
    let shape = &e.horizon.shape;
    Some(WayWire {
        name: name_of(&w.way.then, u),
        words: w.way.words(),
        why: why(w, before, e),
        then: legs_wire(&w.way.then),
        price: net_price(w.order.price, u.style_of_price),
        cash: money_wire(w.order.money.cash),
        fees: money_wire(w.order.money.fees),
        most: extent(&shape.most),
        least: extent(&shape.least),
        evens: shape
            .evens
            .iter()
            .map(|x| even(x, u.style_of_price))
            .collect(),
        chance: e.chance_of_profit,
        days: e.horizon.days,
        lean: w.lean,
        capital: money_wire(e.money.tied_up),
        credit_a_day: w.order.money.cash.to_f64() / e.horizon.days.max(1) as f64,
        room: Some(w.way.made.room).filter(|r| r.is_finite()),
    })
}

/// Limits that were left empty are the trader's own rules, where there are such: what a trade may
/// lose, and the band of the book's lean. They are told.
fn by_my_rules(
    state: &DeskState,
    quoter: &mut Quoter,
    campaign: u64,
    limits: &mut Limits,
) -> Vec<String> {
    let mut told = Vec::new();
    let Some(c) = state.account.campaign(campaign) else {
        return told;
    };
    let Some(u) = state.world.underlying(&c.symbol) else {
        return told;
    };
    let held = state.account.holding_of(campaign);
    let of_it = (desk::Structure::of(&held, u), c.symbol.as_str(), None);
    let value = money::account_value(state, quoter);
    if limits.loss.is_none()
        && let Some(most) = most_at_risk(&state.my_rules, of_it, value)
    {
        limits.loss = Some(most);
        told.push(format!("max loss at most {}", most.grouped()));
    }
    if limits.lean.is_none() {
        let account = ruling(
            &state.my_rules,
            Subject::Account,
            (desk::Structure::Other, "", None),
        );
        let limit = |side: Side| {
            let of_lean = account.iter().map(|r| r.rule.condition);
            let mut found = of_lean.filter(|x| x.measure == Rules::Lean && x.side == side);
            found.next().map(|x| x.limit.to_f64())
        };
        let (from, to) = (limit(Side::Below), limit(Side::Above));
        if from.is_some() || to.is_some() {
            limits.lean = Some((
                from.unwrap_or(f64::NEG_INFINITY),
                to.unwrap_or(f64::INFINITY),
            ));
            let ends = [
                from.map(|x| format!("from {x}")),
                to.map(|x| format!("up to {x}")),
            ];
            let ends: Vec<String> = ends.into_iter().flatten().collect();
            told.push(format!("lean of the book {}", ends.join(" ")));
        }
    }
    told
}

fn looked_for(
    state: &DeskState,
    quoter: &mut Quoter,
    id: u64,
    request: &WaysRequest,
) -> Result<WaysWire, Refusal> {
    let campaign = campaigns::open(state, id)?;
    let (id, symbol) = (campaign.id, campaign.symbol.clone());
    let u = underlying_of(state, &symbol)?;
    let mut limits = request.limits.parse()?;
    let by_rule = by_my_rules(state, quoter, id, &mut limits);
    let search = Search {
        at: request.at.into(),
        limits,
        measure: match request.measure {
            WaysMeasure::Chance => Measure::Chance,
            WaysMeasure::CreditADay => Measure::CreditADay,
            WaysMeasure::Lean => Measure::Lean,
            WaysMeasure::Loss => Measure::Loss,
            WaysMeasure::Room => Measure::Room,
        },
        lean: lean_now(state, quoter, &symbol),
    };
    let whole = standing(state, id)?.proposal();
    let before = money::evaluate(state, quoter, &symbol, &whole)?;
    let found = ways_out(state, quoter, id, &search)?;
    let mut ruled_out: Vec<RuledOut> = found
        .ruled_out
        .iter()
        .map(|(out, count)| RuledOut {
            why: out_words(*out).into(),
            count: *count,
        })
        .collect();
    ruled_out.sort_by_key(|r| std::cmp::Reverse(r.count));
    Ok(WaysWire {
        looked: found.looked,
        kept: found.kept,
        waiting: found.waiting,
        by_rule,
        ruled_out,
        ways: found
            .best
            .iter()
            .filter_map(|w| wire(w, &before, u))
            .collect(),
    })
}

/// Looks for ways out of an open campaign: all moves over what is listed, within limits, the best
/// by a measure first; nothing is sent.
#[utoipa::path(
    post,
    path = "/campaigns/{campaign}/ways",
    tag = "account",
    params(("campaign" = u64, Path)),
    request_body = WaysRequest,
    responses(
        (status = 200, body = WaysWire),
        (status = 404, body = Problem),
        (status = 422, body = Problem),
    ),
)]
async fn ways_of_campaign(
    State(app): State<AppState>,
    Path(campaign): Path<u64>,
    Body(request): Body<WaysRequest>,
) -> Result<Json<WaysWire>, Problem> {
    Ok(Json(
        app.read(move |state, quoter| looked_for(state, quoter, campaign, &request))
            .await??,
    ))
}

pub(crate) fn router() -> OpenApiRouter<AppState> {
    OpenApiRouter::new().routes(routes!(ways_of_campaign))
}
