//! What the market and the account contribute to an evaluation, and what the account is worth.

use std::collections::BTreeMap;

use desk::{
    AccountView, Contract, LegMarket, MarginBasis, MarginLeg, MarketView, Money, Order, OrderError, Pricing, Proposal, Request, Structure,
    money_effect, requirement,
};
use market::Quoter;
use market::exchange::FEE;

use crate::refusal::Refusal;
use crate::state::{State, known, spot_of};

/// Whether the volatility each leg's mark implies is wanted: it costs a solver per leg, and margin
/// needs only quotes.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Vols {
    Solved,
    Unused,
}

fn leg_market(state: &State, quoter: &mut Quoter, contract: &Contract, vols: Vols) -> Option<LegMarket> {
    let at = state.clock.now;
    match vols {
        Vols::Solved => quoter.leg(&state.world, contract, at),
        Vols::Unused => {
            quoter.quote(&state.world, contract, at).map(|q| LegMarket { quote: q.quote, vol: 0.0, theoretical: q.theoretical, rate: 0.0 })
        }
    }
}

/// What the market contributes to an evaluation.
fn market_view<'a>(state: &'a State, quoter: &mut Quoter, symbol: &str, structure: &Structure, vols: Vols) -> Result<MarketView<'a>, Refusal> {
    let underlying = known(state, symbol)?;
    let at = state.clock.now;
    let expiry = structure.legs().iter().map(|l| underlying.expiry_moment(&l.contract)).min().unwrap_or(at);
    if let Some(past) = structure.legs().iter().find(|l| underlying.expiry_moment(&l.contract) <= at) {
        return Err(OrderError::PastExpiration { contract: past.contract.clone() }.into());
    }
    let variance = state.world.total_variance(symbol, at, expiry).unwrap_or(0.0);
    Ok(MarketView {
        at,
        underlying,
        spot: spot_of(state, symbol),
        legs: structure
            .legs()
            .iter()
            .map(|l| leg_market(state, quoter, &l.contract, vols).ok_or_else(|| Refusal::NoQuote(l.contract.clone())))
            .collect::<Result<_, _>>()?,
        horizon_vol: (variance / at.years_until(expiry).max(1e-9)).sqrt(),
        events: state.world.events(symbol, at, 1_100),
    })
}

fn basis(state: &State, symbol: &str) -> Option<MarginBasis> {
    let u = state.world.underlying(symbol)?;
    Some(MarginBasis { spot: state.world.spot(symbol, state.clock.now)?, class: u.margin_class, multiplier: u.multiplier })
}

/// Open positions of one underlying as margin legs, at the marks of now.
pub fn margin_legs_of(state: &State, quoter: &mut Quoter, symbol: &str) -> Vec<MarginLeg> {
    let mut out: Vec<MarginLeg> = Vec::new();
    for lot in state.account.lots() {
        if state.world.owner(&lot.contract).is_none_or(|u| u.symbol != symbol) {
            continue;
        }
        let c = &lot.contract;
        match out.iter_mut().find(|l| (l.kind, l.strike, l.expiry) == (c.kind, c.strike, c.expiry)) {
            Some(same) => same.quantity += lot.quantity,
            None => {
                let mark = quoter.quote(&state.world, c, state.clock.now).map_or(lot.price, |q| q.quote.mark());
                out.push(MarginLeg { kind: c.kind, strike: c.strike, expiry: c.expiry, quantity: lot.quantity, mark });
            }
        }
    }
    out
}

fn symbols_held(state: &State) -> Vec<String> {
    let mut out: Vec<String> = state.account.lots().iter().filter_map(|l| state.world.owner(&l.contract).map(|u| u.symbol.clone())).collect();
    out.sort();
    out.dedup();
    out
}

/// Margin held for one underlying.
pub fn requirement_of(state: &State, quoter: &mut Quoter, symbol: &str) -> Money {
    basis(state, symbol).map_or(Money::ZERO, |b| requirement(&margin_legs_of(state, quoter, symbol), &b).total)
}

/// What the account contributes to an evaluation in one underlying.
pub fn account_view(state: &State, quoter: &mut Quoter, symbol: &str, without_order: Option<u64>) -> AccountView {
    let elsewhere = symbols_held(state).iter().filter(|s| *s != symbol).map(|s| requirement_of(state, quoter, s)).sum();
    let mut view = AccountView {
        cash: state.account.balance(desk::Book::Cash),
        requirement_elsewhere: elsewhere,
        reserved: Money::ZERO,
        here: margin_legs_of(state, quoter, symbol),
        fee: FEE,
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
        let view = AccountView { here: margin_legs_of(state, quoter, symbol), fee: FEE, ..AccountView::default() };
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
            desk::package_quote(&request.unit, &quotes, &market.underlying.package_ticks(quotes.len())).cross
        }
    };
    let cash = -price.times(packages * market.underlying.multiplier);
    Ok(money_effect(&structure, &market, view, cash))
}

/// Cash and what all positions are worth at their marks.
pub fn account_value(state: &State, quoter: &mut Quoter) -> Money {
    let lots = state.account.lots().iter();
    let marked: Money = lots
        .map(|l| {
            let mark = quoter.quote(&state.world, &l.contract, state.clock.now).map_or(l.price, |q| q.quote.mark());
            mark.times(l.quantity * l.multiplier)
        })
        .sum();
    state.account.balance(desk::Book::Cash) + marked
}

/// Buying power: cash less all margin and what working orders hold.
pub fn buying_power(state: &State, quoter: &mut Quoter) -> Money {
    let held: Money = symbols_held(state).iter().map(|s| requirement_of(state, quoter, s)).sum();
    state.account.balance(desk::Book::Cash) - held - reserved(state, quoter, None)
}

/// Margin held for all positions.
pub fn total_requirement(state: &State, quoter: &mut Quoter) -> Money {
    symbols_held(state).iter().map(|s| requirement_of(state, quoter, s)).sum()
}

/// Evaluates a proposal on the state of now.
pub fn evaluate(state: &State, quoter: &mut Quoter, symbol: &str, proposal: &Proposal) -> Result<desk::Evaluation, Refusal> {
    let market = market_view(state, quoter, symbol, &proposal.structure, Vols::Solved)?;
    let account = account_view(state, quoter, symbol, None);
    Ok(desk::evaluate(proposal, &market, &account)?)
}
