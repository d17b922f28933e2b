//! What the market and the account contribute to an evaluation, and what the account is worth.

use std::collections::BTreeMap;

use desk::{
    AccountView, Carry, Holdings, Instrument, LegMarket, MarginBasis, MarginLeg, MarketView, Money, Order, OrderError, Pricing, Proposal, Request,
    Requirement, Structure, money_effect, requirement,
};
use market::Quoter;

use crate::refusal::Refusal;
use crate::state::{State, known, spot_of};

/// Whether the volatility each leg's mark implies is wanted: it costs a solver per leg, and margin
/// needs only quotes.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Vols {
    Solved,
    Unused,
}

fn leg_market(state: &State, quoter: &mut Quoter, instrument: &Instrument, vols: Vols) -> Option<LegMarket> {
    let at = state.clock.now;
    match vols {
        Vols::Solved => quoter.leg_any(&state.world, instrument, at),
        Vols::Unused => {
            let quote = quoter.quote_any(&state.world, instrument, at)?;
            Some(LegMarket { quote, vol: 0.0, theoretical: 0.0, rate: 0.0 })
        }
    }
}

/// What the market contributes to an evaluation.
fn market_view<'a>(state: &'a State, quoter: &mut Quoter, symbol: &str, structure: &Structure, vols: Vols) -> Result<MarketView<'a>, Refusal> {
    let underlying = known(state, symbol)?;
    let at = state.clock.now;
    if let Some((past, _)) = structure.options().find(|(c, _)| underlying.expiry_moment(c) <= at) {
        return Err(OrderError::PastExpiration { contract: past.clone() }.into());
    }
    let month = at.plus_millis(30 * 86_400_000);
    let expiry = structure.options().map(|(c, _)| underlying.expiry_moment(c)).min().unwrap_or(month);
    let variance = state.world.total_variance(symbol, at, expiry).unwrap_or(0.0);
    Ok(MarketView {
        at,
        underlying,
        spot: spot_of(state, symbol),
        legs: structure
            .legs()
            .iter()
            .map(|l| leg_market(state, quoter, &l.instrument, vols).ok_or_else(|| Refusal::NoQuote(l.instrument.clone())))
            .collect::<Result<_, _>>()?,
        horizon_vol: (variance / at.years_until(expiry).max(1e-9)).sqrt(),
        carry: state.world.carry(symbol).unwrap_or(Carry::Yield(0.0)),
        events: state.world.events(symbol, at, 1_100),
    })
}

/// The market in a structure, with the volatility that each leg's mark implies.
pub fn market_of<'a>(state: &'a State, quoter: &mut Quoter, symbol: &str, structure: &Structure) -> Result<MarketView<'a>, Refusal> {
    market_view(state, quoter, symbol, structure, Vols::Solved)
}

fn basis(state: &State, symbol: &str) -> Option<MarginBasis> {
    let u = state.world.underlying(symbol)?;
    Some(MarginBasis { spot: state.world.spot(symbol, state.clock.now)?, kind: u.kind, class: u.margin_class, multiplier: u.multiplier })
}

/// Open positions of one underlying as margin sees them, at the marks of now.
pub fn holdings_of(state: &State, quoter: &mut Quoter, symbol: &str) -> Holdings {
    let mut out = Holdings::default();
    for lot in state.account.lots() {
        if state.world.underlying_of(&lot.instrument).is_none_or(|u| u.symbol != symbol) {
            continue;
        }
        match lot.instrument.option() {
            Some(c) => {
                let mark = quoter.quote(&state.world, c, state.clock.now).map_or(lot.price, |q| q.quote.mark());
                out.add(MarginLeg { kind: c.kind, strike: c.strike, expiry: c.expiry, quantity: lot.quantity, mark });
            }
            None => out.underlying += lot.quantity,
        }
    }
    out
}

fn symbols_held(state: &State) -> Vec<String> {
    let mut out: Vec<String> =
        state.account.lots().iter().filter_map(|l| state.world.underlying_of(&l.instrument).map(|u| u.symbol.clone())).collect();
    out.sort();
    out.dedup();
    out
}

/// Margin held for one underlying.
pub fn requirement_of(state: &State, quoter: &mut Quoter, symbol: &str) -> Requirement {
    basis(state, symbol).map_or_else(Requirement::default, |b| requirement(&holdings_of(state, quoter, symbol), &b))
}

/// What the account contributes to an evaluation in one underlying.
pub fn account_view(state: &State, quoter: &mut Quoter, symbol: &str, without_order: Option<u64>) -> AccountView {
    let elsewhere = symbols_held(state).iter().filter(|s| *s != symbol).map(|s| requirement_of(state, quoter, s).takes()).sum();
    let mut view = AccountView {
        cash: state.account.balance(desk::Book::Cash),
        taken_elsewhere: elsewhere,
        reserved: Money::ZERO,
        here: holdings_of(state, quoter, symbol),
        fees: state.world.fees(),
        value: account_value(state, quoter),
        risk_percent: state.risk_percent,
    };
    view.reserved = reserved(state, quoter, without_order);
    view
}

/// Buying power set aside for working orders: what each would take if it filled now; of orders that cancel each other the most that one takes.
fn reserved(state: &State, quoter: &mut Quoter, without: Option<u64>) -> Money {
    let open: Vec<&Order> = state.orders.iter().filter(|o| o.remaining() > 0 && o.state().is_open() && Some(o.id) != without).collect();
    let mut takes: BTreeMap<u64, Money> = BTreeMap::new();
    for order in open {
        let symbol = &order.request.symbol;
        let view = AccountView { here: holdings_of(state, quoter, symbol), fees: state.world.fees(), ..AccountView::default() };
        let request = Request { pricing: order.pricing(), ..order.request.clone() };
        if let Ok(effect) = effect_of(state, quoter, &request, order.remaining(), &view) {
            let most = takes.entry(order.request.link.group.unwrap_or(order.id)).or_default();
            *most = effect.takes().max(*most);
        }
    }
    takes.into_values().sum()
}

/// Money effect of so many packages of a request; a market order is taken at the cross.
pub fn effect_of(state: &State, quoter: &mut Quoter, request: &Request, packages: i64, view: &AccountView) -> Result<desk::MoneyEffect, Refusal> {
    let structure = request.unit.times(packages);
    let market = market_view(state, quoter, &request.symbol, &structure, Vols::Unused)?;
    let price = match request.pricing {
        Pricing::Limit(p) => p,
        Pricing::Market => {
            let quotes: Vec<_> = market.legs.iter().map(|m| m.quote).collect();
            desk::package_quote(&request.unit, &quotes, market.underlying).cross
        }
    };
    Ok(money_effect(&structure, &market, view, price))
}

/// Cash and what all positions are worth at their marks.
pub fn account_value(state: &State, quoter: &mut Quoter) -> Money {
    let lots = state.account.lots().iter();
    let marked: Money = lots
        .map(|l| {
            let mark = quoter.quote_any(&state.world, &l.instrument, state.clock.now).map_or(l.price, |q| q.mark());
            l.worth(mark)
        })
        .sum();
    state.account.balance(desk::Book::Cash) + marked
}

/// Buying power: cash less all margin and what working orders hold.
pub fn buying_power(state: &State, quoter: &mut Quoter) -> Money {
    let held: Money = symbols_held(state).iter().map(|s| requirement_of(state, quoter, s).takes()).sum();
    state.account.balance(desk::Book::Cash) - held - reserved(state, quoter, None)
}

/// Margin held for all positions.
pub fn total_requirement(state: &State, quoter: &mut Quoter) -> Money {
    symbols_held(state).iter().map(|s| requirement_of(state, quoter, s).total).sum()
}

/// Evaluates a proposal on the state of now.
pub fn evaluate(state: &State, quoter: &mut Quoter, symbol: &str, proposal: &Proposal) -> Result<desk::Evaluation, Refusal> {
    let market = market_of(state, quoter, symbol, &proposal.structure)?;
    evaluate_in(state, quoter, &market, proposal)
}

/// Evaluates a proposal in a market that is known already.
pub fn evaluate_in(state: &State, quoter: &mut Quoter, market: &MarketView<'_>, proposal: &Proposal) -> Result<desk::Evaluation, Refusal> {
    let account = account_view(state, quoter, &market.underlying.symbol, None);
    Ok(desk::evaluate(proposal, market, &account)?)
}
