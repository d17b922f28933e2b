//! What the book is made of: one item for each campaign, working order and draft.

use std::collections::BTreeSet;

use desk::book::{BookLeg, BookOption, BookPosition, LegWorth};
use desk::{
    Carry, Contract, Holding, Instrument, LegMarket, Moment, Structure, Underlying, recognise,
    short_date,
};
use jiff::civil::Date;
use market::Quoter;

use crate::campaigns::all_open;
use crate::state::State;

/// A draft that is looked at beside the book.
#[derive(Debug, Clone, PartialEq)]
pub struct Considered {
    /// The name that it is switched by.
    pub key: String,
    /// What the trader calls it.
    pub name: Option<String>,
    /// What it is on.
    pub symbol: String,
    /// What it holds.
    pub holding: Holding,
}

/// What is looked at.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Chosen {
    /// What is really held.
    pub held: bool,
    /// Of that without these, by key.
    pub off: BTreeSet<String>,
    /// Orders and drafts with these, by key.
    pub on: BTreeSet<String>,
    /// The drafts that are switched in as if they were held.
    pub drafts: Vec<Considered>,
}

/// Where an item comes from.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Source {
    /// An open campaign.
    Campaign(u64),
    /// What is left of an open order.
    Order(u64),
    /// A draft that is not an order yet.
    Draft,
}

/// One item of the book, in the market of a moment.
#[derive(Debug, Clone)]
pub struct Item {
    /// The name that it is switched by: `c12`, `o34`, or the draft's own.
    pub key: String,
    /// Where it comes from.
    pub source: Source,
    /// What it is on.
    pub symbol: String,
    /// What it is called.
    pub name: String,
    /// Of the underlying.
    pub sector: Option<String>,
    /// What it holds, as a kind of structure.
    pub structure: Structure,
    /// Its first expiration.
    pub expiry: Option<Date>,
    /// The end of its last expiration.
    pub last: Option<Moment>,
    /// What it holds and has a market.
    pub holding: Holding,
    /// The markets of that.
    pub markets: Vec<LegMarket>,
    /// Price of the underlying.
    pub spot: f64,
    /// What the underlying pays.
    pub carry: Carry,
    /// Whether it counts in the sums of the book.
    pub on: bool,
    /// What it holds and has no market.
    pub missing: Vec<Instrument>,
}

impl Item {
    /// What it holds, ready to be valued.
    pub fn position<'a>(&'a self, u: &'a Underlying, at: Moment) -> BookPosition<'a> {
        let leg = |(leg, market): (&'a desk::Leg, &LegMarket)| {
            let worth = match &leg.instrument {
                Instrument::Option(contract) => LegWorth::Option(BookOption::Listed {
                    contract,
                    underlying: u,
                    at,
                    carry: &self.carry,
                    rate: market.rate,
                    vol: market.vol,
                }),
                Instrument::Underlying(_) if u.settles_daily() => LegWorth::Future,
                Instrument::Underlying(_) => LegWorth::Shares(Some((&self.carry, at))),
            };
            BookLeg {
                units: (leg.quantity * u.units(&leg.instrument)) as f64,
                worth,
            }
        };
        let legs = self.holding.legs().iter().zip(&self.markets);
        BookPosition {
            spot: self.spot,
            legs: legs.map(leg).collect(),
        }
    }
}

/// "put vertical 96/91, 18 Apr".
fn called(holding: &Holding, u: &Underlying) -> String {
    let expiry = holding.options().map(|(c, _)| c.expiry).min();
    let date = expiry.map_or_else(String::new, |d| format!(", {}", short_date(d)));
    let (name, strikes) = (recognise(holding, u).text, holding.strikes_label());
    format!("{name} {strikes}").trim_end().to_owned() + &date
}

/// What stands under a key before its market is known.
struct Plan {
    key: String,
    source: Source,
    symbol: String,
    name: Option<String>,
    holding: Holding,
    on: bool,
}

fn plans(state: &State, chosen: &Chosen) -> Vec<Plan> {
    let mut out = Vec::new();
    for c in all_open(state) {
        let key = format!("c{}", c.id);
        out.push(Plan {
            on: chosen.held && !chosen.off.contains(&key),
            key,
            source: Source::Campaign(c.id),
            symbol: c.symbol.clone(),
            name: Some(c.label.name.clone()).filter(|n| !n.is_empty()),
            holding: state.account.holding_of(c.id),
        });
    }
    for order in state.open_orders() {
        let key = format!("o{}", order.id);
        let left = order.remaining() + order.waiting();
        out.push(Plan {
            on: chosen.on.contains(&key),
            key,
            source: Source::Order(order.id),
            symbol: order.request.symbol.clone(),
            name: None,
            holding: order.request.unit.holding().times(left),
        });
    }
    for d in &chosen.drafts {
        out.push(Plan {
            on: chosen.on.contains(&d.key),
            key: d.key.clone(),
            source: Source::Draft,
            symbol: d.symbol.clone(),
            name: d.name.clone(),
            holding: d.holding.clone(),
        });
    }
    out
}

/// Everything that can be looked at, in the market of now.
pub fn items(state: &State, quoter: &mut Quoter, chosen: &Chosen) -> Vec<Item> {
    let (world, at) = (&state.world, state.clock.now);
    let plans = plans(state, chosen);
    let contracts: BTreeSet<Contract> = plans
        .iter()
        .flat_map(|p| p.holding.options().map(|(c, _)| c.clone()))
        .collect();
    let contracts: Vec<Contract> = contracts.into_iter().collect();
    // For a fraction of one by one.
    quoter.remember_legs(world, &contracts, at);
    let item = |plan: Plan| {
        let u = world.underlying(&plan.symbol)?;
        let mut missing = Vec::new();
        let (mut legs, mut markets) = (Vec::new(), Vec::new());
        for leg in plan.holding.legs() {
            let ended = leg
                .instrument
                .option()
                .is_some_and(|c| u.expiry_moment(c) <= at);
            let market = (!ended)
                .then(|| {
                    quoter
                        .remembered_leg(world, &leg.instrument, at)
                        .or_else(|| quoter.leg_any(world, &leg.instrument, at))
                })
                .flatten();
            match market {
                Some(market) => {
                    legs.push(leg.clone());
                    markets.push(market);
                }
                None => missing.push(leg.instrument.clone()),
            }
        }
        let ends = plan.holding.options().map(|(c, _)| u.expiry_moment(c));
        Some(Item {
            name: plan.name.unwrap_or_else(|| called(&plan.holding, u)),
            sector: world.sector(&plan.symbol).map(str::to_owned),
            structure: Structure::of(&plan.holding, u),
            expiry: plan.holding.options().map(|(c, _)| c.expiry).min(),
            last: ends.max(),
            holding: Holding::new(legs),
            markets,
            spot: world.spot(&plan.symbol, at)?.to_f64(),
            carry: world.carry(&plan.symbol, at).unwrap_or(Carry::Yield(0.0)),
            key: plan.key,
            source: plan.source,
            symbol: plan.symbol,
            on: plan.on,
            missing,
        })
    };
    plans.into_iter().filter_map(item).collect()
}
