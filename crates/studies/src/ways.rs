//! Ways out of a campaign in the market of now: what `desk` finds quickly is judged like any draft,
//! and shown only where the ticket would take it.

use std::collections::{BTreeMap, HashMap};

use desk::{
    AccountView, Evaluation, Holding, LegMarket, Link, Money, Package, Price, Pricing, Proposal,
    Purpose, Request, TimeInForce, money_effect, money_taken,
};
use market::Quoter;
use plans::rework::{self, Asked, At, Dated, Field, Limits, Measure, MoveFamily, Out, Way, change};
use plans::{Candidate, Candidates};
use rayon::prelude::*;

use engine::Refusal;
use engine::campaigns::{self, Left, after, waiting};
use engine::commands::trading::{check_closing, refusal_of};
use engine::money::{self, account_view};
use engine::state::{State, spot_of, underlying_of};

/// A way out, judged.
#[derive(Debug, Clone)]
pub struct WayOut {
    /// As it was found.
    pub way: Way,
    /// The order that leads there.
    pub order: Evaluation,
    /// The campaign afterwards.
    pub left: Left,
    /// Lean of the book afterwards.
    pub lean: f64,
}

/// What was found.
#[derive(Debug, Clone)]
pub struct WaysOut {
    /// Different holdings that were looked at.
    pub looked: usize,
    /// How many were ruled out by what.
    pub ruled_out: BTreeMap<Out, usize>,
    /// How many kept within the limits.
    pub kept: usize,
    /// Working orders that wait to close some of what is held: while they do, nothing else may.
    pub waiting: Vec<u64>,
    /// The best of them, the best first; of one kind of move a few.
    pub best: Vec<WayOut>,
}

/// What is looked for.
#[derive(Debug, Clone)]
pub struct Search {
    /// At which price of its market a change is counted.
    pub at: At,
    /// What a way must keep to be listed.
    pub limits: Limits,
    /// What the best is measured by.
    pub measure: Measure,
    /// Lean of the whole book now, and how much 1.00 of delta in this underlying adds to it.
    pub lean: (f64, f64),
}

/// So many are shown: a screenful. Of one kind of move so many.
const SHOWN: usize = 12;
const OF_A_KIND: usize = 3;
/// Most of one kind that the account is asked about, and so many at a time.
const ASKED: usize = 8;
const AT_ONCE: usize = 32;
/// Deviations around the price within which strikes are looked at, and the least of it.
const REACH: f64 = 4.0;
const LEAST_REACH: f64 = 0.08;
/// Expirations behind the last held one that are looked at.
const LATER: usize = 8;

/// What is listed around what is held, with its markets.
fn field<'a>(
    state: &'a State,
    quoter: &mut Quoter,
    symbol: &str,
    held: &Holding,
    search: &Search,
    carry: &'a desk::Carry,
) -> Result<Field<'a>, Refusal> {
    let (u, at) = (underlying_of(state, symbol)?, state.clock.now);
    let spot = spot_of(state, symbol);
    let all = state.world.expirations(symbol, at).unwrap_or_default();
    let stands = |e: &desk::Expiration| {
        held.options()
            .any(|(c, _)| u.expiry_moment(c) == e.moment())
    };
    let places = || (0..all.len()).filter(|i| stands(&all[*i]));
    let (Some(first), Some(last)) = (places().min(), places().max()) else {
        return Err(Refusal::Field {
            field: "campaign",
            message: format!(
                "no option of it is listed; ways out are looked for among {symbol}'s options"
            ),
        });
    };
    let mut dates = Vec::new();
    for e in &all[first..(last + 1 + LATER).min(all.len())] {
        let years = at.years_until(e.moment()).max(1e-9);
        let variance = state.world.total_variance(symbol, at, e.moment());
        let deviation = variance.unwrap_or(0.0).sqrt();
        let reach = (REACH * deviation).max(LEAST_REACH);
        let near = |c: &desk::Contract| {
            (c.strike.to_f64() / spot.to_f64()).ln().abs() <= reach
                || held.options().any(|(h, _)| h == c)
        };
        let mut listed = Vec::new();
        let mut markets: Vec<LegMarket> = Vec::new();
        for (contract, l) in quoter.chain(&state.world, u, e, at) {
            if !near(&contract) {
                continue;
            }
            if let Some(market) = quoter.leg(&state.world, &contract, at) {
                markets.push(market);
                listed.push(Candidate {
                    delta: l.delta,
                    contract,
                });
            }
        }
        let rate = markets.first().map_or(0.0, |m| m.rate);
        let drift = rate - carry.yield_until(at, e.moment(), rate, spot.to_f64());
        let law = desk::Lognormal::new(spot.to_f64(), drift, deviation / years.sqrt(), years);
        dates.push(Dated {
            candidates: Candidates {
                spot: spot.to_f64(),
                deviation,
                listed,
            },
            markets,
            ends: e.moment(),
            days: at.days_until(e.date),
            law: law.map_err(desk::EvaluationError::Model)?,
        });
    }
    let fees = state.world.fees_of(&u.symbol);
    Ok(Field::new(at, (u, spot, carry), fees, search.lean, dates))
}

/// The best ways out of a campaign.
///
/// # Errors
/// There is no such campaign, none of its options is listed, or no model covers it.
pub fn ways_out(
    state: &State,
    quoter: &mut Quoter,
    campaign: u64,
    search: &Search,
) -> Result<WaysOut, Refusal> {
    let found = campaigns::open(state, campaign)?;
    let (id, symbol) = (found.id, found.symbol.clone());
    let stands = campaigns::standing(state, id)?;
    let held = stands.held.clone();
    let carry = state
        .world
        .carry(&symbol, state.clock.now)
        .unwrap_or(desk::Carry::Yield(0.0));
    let field = field(state, quoter, &symbol, &held, search, &carry)?;
    let asked = Asked {
        held: &held,
        received: stands.received(),
        at: search.at,
        limits: &search.limits,
        measure: search.measure,
    };
    let ways = rework::ways(&field, &asked).map_err(desk::EvaluationError::Model)?;
    let mut out = WaysOut {
        looked: ways.looked,
        ruled_out: ways.ruled_out,
        kept: ways.ways.len(),
        waiting: waiting(state, id, &held),
        best: Vec::new(),
    };
    let view = account_view(state, quoter, &symbol, state.reserved);
    let before = money_effect(
        &Holding::default(),
        &field.market(Vec::new()),
        &view,
        Price::ZERO,
    );
    let free = before.buying_power_now;
    // What waits to close the same stands in the way of most: that is asked first.
    let freely = |w: &Way| {
        let request = request(&symbol, id, &change(&held, &w.then), w.price);
        request.is_ok_and(|r| check_closing(state, &r, id, &[]).is_ok())
    };
    let mut left = ways.ways;
    if !out.waiting.is_empty() {
        left.retain(freely);
        let hindered = out.kept - left.len();
        if hindered > 0 {
            out.ruled_out.insert(Out::Waiting, hindered);
        }
        out.kept = left.len();
    }
    let mut left = left.into_iter();
    // Of each kind of move, how many were asked about and how many are shown.
    let mut kinds: HashMap<Vec<MoveFamily>, (usize, usize)> = HashMap::new();
    while out.best.len() < SHOWN {
        let wanted = |w: &Way| {
            let (asked, shown) = kinds.entry(w.kind()).or_default();
            let fits = *shown < OF_A_KIND && *asked < ASKED;
            *asked += usize::from(fits);
            fits
        };
        let some: Vec<Way> = left.by_ref().filter(wanted).take(AT_ONCE).collect();
        if some.is_empty() {
            break;
        }
        // What the account does not bear is most of what falls away here, and needs no quotes.
        let borne: Vec<bool> = some
            .par_iter()
            .map(|w| bears(&field, (&view, free), &held, w))
            .collect();
        for (way, borne) in some.into_iter().zip(borne) {
            let (_, shown) = kinds.entry(way.kind()).or_default();
            if out.best.len() == SHOWN || *shown == OF_A_KIND {
                continue;
            }
            let judged = if borne {
                in_full(state, quoter, (id, &symbol), &held, way, search)
            } else {
                Err(Out::Refused)
            };
            match judged {
                Ok(way) => {
                    *shown += 1;
                    out.best.push(way);
                }
                Err(why) => {
                    *out.ruled_out.entry(why).or_default() += 1;
                    out.kept -= 1;
                }
            }
        }
    }
    Ok(out)
}

/// Whether so much buying power bears the order that leads to a way.
fn bears(
    field: &Field<'_>,
    (view, free): (&AccountView, Money),
    held: &Holding,
    way: &Way,
) -> bool {
    let order = change(held, &way.then);
    field.markets_of(&order).is_some_and(|legs| {
        let takes = money_taken(&order, &field.market(legs), view, way.price);
        takes <= Money::ZERO || takes <= free
    })
}

/// The order of a change, as the ticket would send it.
fn request(symbol: &str, campaign: u64, order: &Holding, price: Price) -> Result<Request, Out> {
    let (unit, quantity) = Package::of(order).map_err(|_| Out::Order)?;
    Ok(Request {
        client_id: String::new(),
        symbol: symbol.to_owned(),
        unit,
        quantity,
        pricing: Pricing::Limit(price),
        trigger: None,
        link: Link::default(),
        time_in_force: TimeInForce::Day,
        purpose: Purpose::Roll(campaign),
        closing: Vec::new(),
    })
}

/// Judges a way like a draft, and asks the ticket.
fn in_full(
    state: &State,
    quoter: &mut Quoter,
    (campaign, symbol): (u64, &str),
    held: &Holding,
    way: Way,
    search: &Search,
) -> Result<WayOut, Out> {
    let structure = change(held, &way.then);
    let proposal = Proposal {
        structure: structure.clone(),
        entry: search.at.into(),
        realised: Money::ZERO,
        range: None,
        closing: false,
    };
    let order = money::evaluate(state, quoter, symbol, &proposal).map_err(|_| Out::Unvalued)?;
    let request = request(symbol, campaign, &structure, order.price)?;
    if refusal_of(state, quoter, &request).is_some() {
        return Err(Out::Refused);
    }
    let left =
        after(state, quoter, campaign, &structure, &order, None).map_err(|_| Out::Unvalued)?;
    let whole = left.evaluation.as_ref().ok_or(Out::Unvalued)?;
    let lean = search.lean.0 + order.greeks.delta * search.lean.1;
    let limits = &search.limits;
    let loss = whole.horizon.shape.least.limited().map(|l| -l);
    let outside = |most: &Money, of: Option<Money>| of.is_none_or(|x| x > *most);
    if limits.loss.is_some_and(|most| outside(&most, loss)) {
        return Err(Out::Loss);
    }
    if limits.lean.is_some_and(|(a, b)| lean < a || lean > b) {
        return Err(Out::Lean);
    }
    if limits
        .capital
        .is_some_and(|most| whole.money.tied_up > most)
    {
        return Err(Out::Capital);
    }
    Ok(WayOut {
        way,
        order,
        left,
        lean,
    })
}
