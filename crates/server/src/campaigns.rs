//! Open campaigns: what each holds, what an order leaves of it, and where it can be rolled to.

use desk::{Holding, Leg, Lot, Money, Price};
use market::Quoter;
use serde::Serialize;
use utoipa::ToSchema;

use crate::money::evaluate;
use crate::refusal::Refusal;
use crate::state::{State, known};
use crate::wire::money;

/// A campaign after an order: what is left, and what all of it makes from its first opening on.
#[derive(Debug, Clone, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct AfterWire {
    /// "2 × iron condor 205/200 · 175/165"; absent where nothing is left.
    pub left: Option<String>,
    /// Profit booked by then, fees taken off.
    pub booked: String,
    /// Prices of the curves.
    pub prices: Vec<f64>,
    /// Profit of the whole campaign at the first expiration of what is left.
    pub outline: Vec<f64>,
    /// The same if the price were there now.
    pub today: Vec<f64>,
}

/// Open campaigns as (symbol, campaign, lots), oldest first.
pub fn campaigns(state: &State) -> Vec<(String, u64, Vec<Lot>)> {
    let mut out: Vec<(String, u64, Vec<Lot>)> = Vec::new();
    for lot in state.account.lots() {
        match out.iter_mut().find(|(_, id, _)| *id == lot.campaign) {
            Some((_, _, lots)) => lots.push(lot.clone()),
            None => {
                let symbol = state
                    .world
                    .underlying_of(&lot.instrument)
                    .map_or_else(String::new, |u| u.symbol.clone());
                out.push((symbol, lot.campaign, vec![lot.clone()]));
            }
        }
    }
    out.sort_by_key(|c| c.1);
    out
}

pub fn structure_of(lots: &[Lot]) -> Option<Holding> {
    Holding::new(lots.iter().map(|l| Leg {
        instrument: l.instrument.clone(),
        quantity: l.quantity,
    }))
    .ok()
}

/// What is left of a campaign after an order that was evaluated, and what all of it makes: the
/// order is filled on a copy of the account.
pub fn after(
    state: &State,
    quoter: &mut Quoter,
    campaign: u64,
    order: &Holding,
    e: &desk::Evaluation,
) -> Result<AfterWire, Refusal> {
    let symbol = campaigns(state)
        .into_iter()
        .find(|(_, id, _)| *id == campaign)
        .ok_or(Refusal::NoCampaign(campaign))?
        .0;
    let underlying = known(state, &symbol)?;
    let middles: Vec<Price> = e.legs.iter().map(|l| l.market.quote.mid()).collect();
    let prices = desk::leg_prices(&e.unit, &middles, e.price, underlying);
    let filled = order.legs().iter().zip(prices);
    let legs = filled
        .map(|(l, price)| desk::FillLeg {
            instrument: l.instrument.clone(),
            quantity: l.quantity,
            price,
        })
        .collect();
    let fill = desk::Fill {
        order: campaign,
        at: state.clock.now,
        packages: e.packages,
        price: e.price,
        legs,
        fees: e.money.fees,
    };
    let mut account = desk::Account::clone(&state.account);
    account.fill(&fill, Some(campaign), underlying, String::new());
    let totals = account.campaign(campaign);
    let booked = totals.realised - totals.fees;
    let lots: Vec<Lot> = account
        .lots()
        .iter()
        .filter(|l| l.campaign == campaign)
        .cloned()
        .collect();
    let Some(left) = structure_of(&lots) else {
        return Ok(AfterWire {
            left: None,
            booked: money(booked),
            prices: Vec::new(),
            outline: Vec::new(),
            today: Vec::new(),
        });
    };
    let proposal = desk::Proposal {
        structure: left.clone(),
        entry: desk::EntryPrice::Middle,
        range: None,
        closing: false,
    };
    let then = evaluate(state, quoter, &symbol, &proposal)?;
    // The curves of what is left count from its middle now; the campaign counts from what its lots
    // cost.
    let cost: Money = lots
        .iter()
        .map(|l| l.price.times(l.quantity * l.units))
        .sum();
    let counted = then
        .price
        .times(then.packages * underlying.price_units(&left));
    let offset = (booked + counted - cost).to_f64();
    let lift = |curve: &[f64]| curve.iter().map(|p| p + offset).collect();
    let name = desk::recognise(&left, underlying).text;
    Ok(AfterWire {
        left: Some(
            format!("{} × {name} {}", left.packages(), left.strikes_label())
                .trim_end()
                .to_owned(),
        ),
        booked: money(booked),
        prices: then.curves.prices.clone(),
        outline: lift(&then.curves.outline),
        today: lift(&then.curves.today),
    })
}

/// One package that closes what a campaign holds and opens the same at another expiration, strikes
/// moved by so many listed ones; and what it opens, in words. Shares and futures stay.
pub fn roll(
    state: &State,
    campaign: u64,
    expiry: jiff::civil::Date,
    strikes: i64,
) -> Result<(Holding, String), Refusal> {
    let (symbol, _, lots) = campaigns(state)
        .into_iter()
        .find(|(_, id, _)| *id == campaign)
        .ok_or(Refusal::NoCampaign(campaign))?;
    let underlying = known(state, &symbol)?;
    let at = state.clock.now;
    let wrong = |message: String| Refusal::Field {
        field: "expiry",
        message,
    };
    let e = state
        .world
        .expirations(&symbol, at)
        .unwrap_or_default()
        .into_iter()
        .find(|e| e.date == expiry);
    let e = e.ok_or_else(|| wrong(format!("{symbol} has no expiration on {expiry}")))?;
    let listed = market::strikes(&state.world, &symbol, &e, at);
    let held = structure_of(&lots)
        .ok_or(Refusal::NoCampaign(campaign))?
        .unit();
    let opened = held.options().map(|(c, quantity)| {
        let nearest = (0..listed.len())
            .min_by_key(|i| (listed[*i] - c.strike).abs())
            .unwrap_or(0) as i64
            + strikes;
        let strike = usize::try_from(nearest).ok().and_then(|i| listed.get(i));
        let strike = strike.ok_or_else(|| Refusal::Field {
            field: "strikes",
            message: format!("no strike is listed {strikes} from {}", c.label()),
        })?;
        let contract = market::contract(&state.world, &symbol, &e, c.kind, *strike)
            .ok_or_else(|| wrong(format!("{symbol} has no options on {expiry}")))?;
        Ok(Leg::option(contract, quantity))
    });
    let opened = Holding::new(opened.collect::<Result<Vec<_>, Refusal>>()?);
    let closed = held
        .options()
        .map(|(c, quantity)| Leg::option(c.clone(), -quantity));
    let unit = Holding::new(closed.chain(opened.legs().iter().cloned()));
    if unit.packages() != 1 || unit.legs().len() != 2 * opened.legs().len() {
        return Err(wrong(
            "what is opened meets what is held; choose another expiration or other strikes".into(),
        ));
    }
    let words = format!(
        "{} {}, {}",
        desk::recognise(&opened, underlying).text,
        opened.strikes_label(),
        desk::short_date(expiry)
    );
    Ok((unit, words))
}
