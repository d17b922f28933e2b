//! One open campaign as the book carries it.

use desk::rules::{Subject, ring_prices, ruling};
use desk::{BookGreeks, Campaign, Leg, Lot, Money, Package, Price, PriceStyle};
use engine::State as DeskState;
use engine::money::{evaluate, evaluate_alone};
use engine::sight::index_price;
use market::Quoter;
use serde::Serialize;
use utoipa::ToSchema;

use crate::api::wire::{
    EvenWire, GreeksWire, LegWire, even, greeks, instrument_label, legs_wire, moment, money,
};

/// One leg of a position.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct PositionLeg {
    /// The instrument as an OSI symbol.
    pub contract: String,
    /// "195 call, 18 Apr".
    pub label: String,
    /// Signed contracts, shares or futures.
    pub quantity: i64,
    /// Whether its holder may say what happens at its end (in its last week), and what was said:
    /// not to exercise it.
    pub declined: Option<bool>,
    /// Average price at opening.
    pub opened_at: String,
    /// The mark now, per unit.
    pub mark: String,
    /// Profit at the mark.
    pub profit: String,
}

/// Deviations that a strip on the common scale reaches to each side.
const REACH: f64 = 3.0;

/// A stretch of the range strip.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Zone {
    /// The lowest price of the zone.
    pub from: f64,
    /// The highest price of the zone.
    pub to: f64,
    /// It makes money there at expiration.
    pub gain: bool,
}

/// The range strip: a position on one line of prices.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Strip {
    /// The price at the left end of the strip.
    pub low: f64,
    /// The price at the right end of the strip.
    pub high: f64,
    /// Zones from left to right.
    pub zones: Vec<Zone>,
    /// The price of the underlying now.
    pub spot: f64,
    /// Strikes of which more is sold than bought.
    pub shorts: Vec<f64>,
    /// Where the trader's rules about the price ring.
    pub rings: Vec<f64>,
}

impl From<desk::Strip> for Strip {
    fn from(strip: desk::Strip) -> Strip {
        let zone = |z: desk::Zone| Zone {
            from: z.from,
            to: z.to,
            gain: z.gain,
        };
        Strip {
            low: strip.low,
            high: strip.high,
            zones: strip.zones.into_iter().map(zone).collect(),
            spot: strip.spot,
            shorts: strip.shorts,
            rings: strip.rings,
        }
    }
}

/// One open campaign.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct Position {
    /// The number of the campaign.
    pub campaign: u64,
    /// What the campaign goes by: a name of its own, otherwise what it holds.
    pub title: String,
    /// The tags that the trader gave it.
    pub tags: Vec<String>,
    /// The symbol of the underlying.
    pub symbol: String,
    /// What the structure is called, as "iron condor".
    pub name: String,
    /// "205/200 · 175/165".
    pub strikes: String,
    /// How many packages of it are held.
    pub packages: i64,
    /// The moment at which it was opened, with its offset.
    pub opened: String,
    /// First expiration; absent without options.
    pub expiry: Option<String>,
    /// Days to it.
    pub days: Option<i64>,
    /// The legs that are held now.
    pub legs: Vec<PositionLeg>,
    /// One package, to close: what is held, turned over.
    pub closing: Vec<LegWire>,
    /// One order can close it: the package is not beyond what an order may send.
    pub one_order: bool,
    /// Profit on what is open.
    pub open_profit: String,
    /// Cash of the whole campaign before fees, received above zero.
    pub net_cash: String,
    /// Profit already booked.
    pub realised: String,
    /// Commissions that were paid so far, in money.
    pub fees: String,
    /// All of it.
    pub total: String,
    /// All of it as a share of the most that the whole campaign can make; absent without a limit
    /// and where it can make nothing any more.
    pub of_most: Option<f64>,
    /// A loss so far as a share of the most that the whole campaign can lose; absent without a limit
    /// and where it stands in profit.
    pub of_least: Option<f64>,
    /// Most to make with the whole campaign, from its first opening on, below zero where it has
    /// lost more; absent without a limit.
    pub most: Option<String>,
    /// Most to lose with it; absent without a limit.
    pub least: Option<String>,
    /// Later legs were valued by a model at the first expiration: what follows from it is an
    /// estimate.
    pub estimate: bool,
    /// Break-evens of the whole campaign.
    pub evens: Vec<EvenWire>,
    /// Range strip of the whole campaign.
    pub strip: Option<Strip>,
    /// The same in deviations of the price to the first expiration, from −3 to 3; absent without an
    /// option.
    pub scaled: Option<Strip>,
    /// Deviations from the price to the nearest sold strike or break-even.
    pub nearest: Option<f64>,
    /// The next date that matters, in words: "earnings after the close in 9 d".
    pub next: Option<String>,
    /// Delta in shares of the index.
    pub lean: Option<f64>,
    /// What is tied up, taken alone.
    pub tied_up: String,
    /// What it holds and has no market now: counted at what it cost, and in none of the figures
    /// above.
    pub unvalued: Vec<String>,
    /// Greeks in money; absent when a leg has no market.
    pub greeks: Option<GreeksWire>,
    /// Margin taken alone.
    pub margin: String,
}

/// One leg of a campaign, its profit, and whether it has a market.
fn position_leg(
    state: &DeskState,
    quoter: &mut Quoter,
    leg: &Leg,
    lots: &[&Lot],
    u: &desk::Underlying,
) -> (PositionLeg, Money, bool) {
    let now = state.clock.now;
    let own = || lots.iter().filter(|l| l.instrument == leg.instrument);
    let paid: Money = own().map(|l| l.basis).sum();
    let units = leg.quantity * u.units(&leg.instrument);
    let average = desk::average(paid, units);
    let quote = quoter.quote_any(&state.world, &leg.instrument, now);
    let mark = quote.map_or(average, |q| q.mark());
    let profit = own().map(|l| l.profit(mark)).sum();
    let asked =
        |c: &&desk::Contract| leg.quantity > 0 && now.days_until(c.expiry) <= desk::LAST_WEEK;
    let wire = PositionLeg {
        contract: leg.instrument.to_string(),
        label: instrument_label(&leg.instrument),
        quantity: leg.quantity,
        declined: leg
            .instrument
            .option()
            .filter(asked)
            .map(|c| state.declined.contains(c)),
        opened_at: shown(average, u),
        mark: shown(mark, u),
        profit: money(profit),
    };
    (wire, profit, quote.is_some())
}

/// An open campaign with what it was made from.
pub(crate) struct Carried {
    pub(crate) position: Position,
    /// Profit on what is open, at the marks; what has no market counts at its cost.
    pub(crate) open_profit: Money,
    /// Of the whole campaign, what was realised and the fees in it; absent when a leg has no market.
    pub(crate) judged: Option<desk::Evaluation>,
    /// Deviation of the logarithm of the price to the first expiration; zero without an option.
    pub(crate) deviation: f64,
}

/// What an evaluation adds to the lean of the book.
fn lean_of(state: &DeskState, symbol: &str, e: &desk::Evaluation, price: f64) -> f64 {
    let mut of_it = BookGreeks::default();
    let beta = state.world.beta(symbol, state.clock.now);
    of_it.add(&e.greeks, beta, price, index_price(state));
    of_it.lean
}

/// The first event within so many days, 30 where none are told, as a few words.
fn next_words(state: &DeskState, symbol: &str, days: Option<i64>) -> Option<String> {
    let now = state.clock.now;
    let ahead = state.world.events(symbol, now, days.unwrap_or(30));
    let event = ahead.into_iter().next()?;
    Some(match now.days_until(event.date) {
        0 => format!("{} today", event.what),
        days => format!("{} in {days} d", event.what),
    })
}

/// A campaign as it is carried, its curves over a range of prices; nothing where it is closed.
pub(crate) fn carried(
    state: &DeskState,
    quoter: &mut Quoter,
    campaign: &Campaign,
    range: Option<(f64, f64)>,
) -> Option<Carried> {
    let (id, symbol) = (campaign.id, &campaign.symbol);
    let u = state.world.underlying(symbol)?;
    let spot = state.world.spot(symbol, state.clock.now)?;
    let held = state.account.holding_of(id);
    let lots: Vec<&Lot> = state.account.lots_of(id).collect();
    let opened = lots.iter().map(|l| l.opened).min()?;
    let legs: Vec<(PositionLeg, Money, bool)> = held
        .legs()
        .iter()
        .map(|l| position_leg(state, quoter, l, &lots, u))
        .collect();
    let open_profit: Money = legs.iter().map(|(_, profit, _)| *profit).sum();
    let missing = legs.iter().filter(|(_, _, valued)| !valued);
    let unvalued = missing.map(|(l, ..)| l.label.clone()).collect();
    let totals = campaign.totals;
    let total = open_profit + totals.booked();
    // The outline of the whole campaign: what was realised is part of it.
    let whole = desk::Proposal {
        range,
        ..state.account.standing(id)?.proposal()
    };
    // The page of one campaign tells of buying power too; the book of all does not.
    let judge = if range.is_some() {
        evaluate
    } else {
        evaluate_alone
    };
    let judged = judge(state, quoter, symbol, &whole).ok();
    let shape = judged.as_ref().map(|e| &e.horizon.shape);
    let most = shape.and_then(|s| s.most.limited());
    let expiry = held.options().map(|(c, _)| c.expiry).min();
    let now = state.clock.now;
    let ends = held.options().map(|(c, _)| u.expiry_moment(c)).min();
    let variance = ends.and_then(|end| state.world.total_variance(symbol, now, end));
    let deviation = variance.map_or(0.0, f64::sqrt);
    let price = spot.to_f64();
    let least = shape.and_then(|s| s.least.limited());
    let days = expiry.map(|e| now.days_until(e));
    let of_it = (desk::Structure::of(&held, u), symbol.as_str(), Some(id));
    let in_force = ruling(&state.my_rules, Subject::Campaign, of_it);
    let rings = shape.map_or_else(Vec::new, |s| ring_prices(&in_force, &held, s, deviation));
    let lean = judged.as_ref().map(|e| lean_of(state, symbol, e, price));
    let position = Position {
        campaign: id,
        title: state.account.title(id, u)?,
        tags: studies::lessons::tags_of(state, campaign),
        net_cash: money(totals.net_cash),
        of_least: least
            .filter(|l| *l < Money::ZERO && total < Money::ZERO)
            .map(|l| total.to_f64() / l.to_f64()),
        scaled: shape
            .and_then(|s| desk::Strip::in_deviations((&held, s, &rings), price, deviation, REACH))
            .map(Strip::from),
        nearest: shape.and_then(|s| desk::deviations_to_nearest(&held, s, price, deviation)),
        next: next_words(state, symbol, days),
        lean,
        tied_up: money(judged.as_ref().map_or(Money::ZERO, |e| e.money.tied_up)),
        symbol: symbol.to_owned(),
        name: desk::recognise(&held, u).text,
        strikes: held.strikes_label(),
        packages: held.packages(),
        opened: moment(opened),
        expiry: expiry.map(desk::short_date),
        days,
        one_order: Package::of(&held).is_ok(),
        closing: legs_wire(&held.unit().reversed()),
        open_profit: money(open_profit),
        realised: money(totals.realised),
        fees: money(totals.fees),
        total: money(total),
        of_most: most
            .filter(|m| *m > Money::ZERO)
            .map(|m| total.to_f64() / m.to_f64()),
        most: most.map(money),
        least: least.map(money),
        estimate: judged.as_ref().is_some_and(|e| e.horizon.estimate),
        evens: shape.map_or_else(Vec::new, |s| {
            s.evens.iter().map(|e| even(e, u.style_of_price)).collect()
        }),
        strip: shape.map(|s| desk::Strip::of(&held, s, &rings, price).into()),
        greeks: judged.as_ref().map(|e| greeks(&e.greeks)),
        margin: money(judged.as_ref().map_or(Money::ZERO, |e| e.money.alone.total)),
        unvalued,
        legs: legs.into_iter().map(|(leg, ..)| leg).collect(),
    };
    Some(Carried {
        position,
        open_profit,
        judged,
        deviation,
    })
}

/// A price as its market writes it; a decimal one of cents with two decimals.
pub(super) fn shown(price: Price, u: &desk::Underlying) -> String {
    match u.style_of_price {
        PriceStyle::Decimal if price.raw() % 1_000_000 != 0 => {
            Price::from_f64((price.to_f64() * 1e4).round() / 1e4)
                .unwrap_or(price)
                .to_string()
        }
        style => style.write(price),
    }
}
