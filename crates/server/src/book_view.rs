//! Masthead and book as they are shown.

use desk::{
    Book, Even, Extent, Holding, Legs, Lot, Money, PositionGreeks, Price, PriceStyle, Shape,
};
use market::Quoter;
use serde::Serialize;
use utoipa::ToSchema;

use crate::campaigns::{campaigns, structure_of};
use crate::money::{account_value, buying_power, evaluate, requirement_of, total_requirement};
use crate::state::State;
use crate::wire::{EvenWire, GreeksWire, LegWire, even, greeks, instrument_label, moment, money};

/// The strip over every view.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct Masthead {
    /// Cash and positions at their marks.
    pub account_value: String,
    /// What new positions may use.
    pub buying_power: String,
    /// Change of the account value since the close before this session (or, when closed, the last
    /// one).
    pub today: String,
    /// Margin held.
    pub held: String,
    /// Delta of the whole book in shares of the index.
    pub lean: f64,
    /// Theta of the whole book per day.
    pub theta: f64,
}

/// The index in whose terms the book's delta is expressed.
const INDEX: &str = "WXMR";

/// Builds the masthead.
pub fn masthead(state: &State, quoter: &mut Quoter) -> Masthead {
    let value = account_value(state, quoter);
    // After the close the day's result stands until the next opening.
    let session = desk::calendar::last_trading(state.clock.now)
        .date()
        .to_string();
    let before = state.marks.iter().rev().find(|(day, _)| *day < session);
    let base = before.map_or_else(|| -state.account.balance(Book::Capital), |m| m.1);
    let BookTotals { lean, theta, .. } = totals(state, quoter);
    Masthead {
        account_value: money(value),
        buying_power: money(buying_power(state, quoter)),
        today: money(value - base),
        held: money(total_requirement(state, quoter)),
        lean: (lean * 100.0).round() / 100.0,
        theta: (theta * 100.0).round() / 100.0,
    }
}

/// Greeks of the whole book.
#[derive(Debug, Clone, Copy, Default)]
struct BookTotals {
    lean: f64,
    theta: f64,
    vega: f64,
}

impl BookTotals {
    /// Adds Greeks in one underlying; `index` is the price of the index.
    fn add(&mut self, g: &PositionGreeks, (beta, spot): (f64, f64), index: f64) {
        self.lean += g.delta * beta * spot / index;
        self.theta += g.theta;
        self.vega += g.vega;
    }
}

fn index_price(state: &State) -> f64 {
    state
        .world
        .spot(INDEX, state.clock.now)
        .map_or(1.0, Price::to_f64)
}

fn totals(state: &State, quoter: &mut Quoter) -> BookTotals {
    let (mut out, index) = (BookTotals::default(), index_price(state));
    for (symbol, _, lots) in campaigns(state) {
        if let Some((g, _, beta, spot)) = position_greeks(state, quoter, &symbol, &lots) {
            out.add(&g, (beta, spot), index);
        }
    }
    out
}

/// The book's figures, before or after.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct BookFigures {
    /// Delta of the whole book in shares of the index.
    pub lean: f64,
    /// Theta a day.
    pub theta: f64,
    /// Vega a point.
    pub vega: f64,
    /// Buying power.
    pub buying_power: String,
}

/// What a draft does to the book.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct BookEffect {
    /// As it is.
    pub before: BookFigures,
    /// As it would be.
    pub after: BookFigures,
    /// The most it can lose as a share of the account; absent without a limit.
    pub at_risk: Option<f64>,
}

/// The effect of an evaluated draft.
pub fn effect_on_book(
    state: &State,
    quoter: &mut Quoter,
    e: &desk::Evaluation,
    symbol: &str,
) -> BookEffect {
    let before = totals(state, quoter);
    let beta = state.world.underlying(symbol).map_or(1.0, |u| u.beta);
    let mut after = before;
    after.add(&e.greeks, (beta, e.spot.to_f64()), index_price(state));
    let figures = |t: BookTotals, power: Money| BookFigures {
        lean: t.lean,
        theta: t.theta,
        vega: t.vega,
        buying_power: money(power),
    };
    let value = account_value(state, quoter).to_f64();
    BookEffect {
        before: figures(before, e.money.buying_power_now),
        after: figures(after, e.money.buying_power_after),
        at_risk: match &e.horizon.shape.least {
            Extent::Limited { profit, .. } if value > 0.0 => {
                Some((-profit.to_f64()).max(0.0) / value)
            }
            _ => None,
        },
    }
}

/// Net Greeks, per lot Greeks, beta and spot.
fn position_greeks(
    state: &State,
    quoter: &mut Quoter,
    symbol: &str,
    lots: &[Lot],
) -> Option<(PositionGreeks, Vec<PositionGreeks>, f64, f64)> {
    let u = state.world.underlying(symbol)?;
    let spot = state.world.spot(symbol, state.clock.now)?.to_f64();
    let s = structure_of(lots)?;
    let markets = s
        .legs()
        .iter()
        .map(|l| quoter.leg_any(&state.world, &l.instrument, state.clock.now))
        .collect::<Option<Vec<_>>>()?;
    let each = Legs::at(
        &s,
        u,
        &markets,
        (
            &state.world.carry(symbol)?,
            state.world.spot(symbol, state.clock.now)?,
        ),
        state.clock.now,
    )
    .ok()?
    .greeks(spot)
    .ok()?;
    let net = each
        .iter()
        .fold(PositionGreeks::default(), |sum, g| sum.plus(*g));
    Some((net, each, u.beta, spot))
}

/// One leg of a position.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct PositionLeg {
    /// OSI symbol.
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
    /// Current mark.
    pub mark: String,
    /// Profit at the mark.
    pub profit: String,
}

/// Days before its end from which a holder is asked about exercise.
const ASKED: i64 = 7;

/// A stretch of the range strip.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Zone {
    /// Lower end.
    pub from: f64,
    /// Upper end.
    pub to: f64,
    /// It makes money there at expiration.
    pub gain: bool,
}

/// The range strip: a position on one line of prices.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Strip {
    /// Left end.
    pub low: f64,
    /// Right end.
    pub high: f64,
    /// Zones from left to right.
    pub zones: Vec<Zone>,
    /// Price now.
    pub spot: f64,
    /// Sold strikes.
    pub shorts: Vec<f64>,
}

/// One open campaign.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct Position {
    /// Campaign number.
    pub campaign: u64,
    /// Underlying symbol.
    pub symbol: String,
    /// "iron condor".
    pub name: String,
    /// "205/200 · 175/165".
    pub strikes: String,
    /// Packages.
    pub packages: i64,
    /// When opened.
    pub opened: String,
    /// First expiration; absent without options.
    pub expiry: Option<String>,
    /// Days to it.
    pub days: Option<i64>,
    /// Legs.
    pub legs: Vec<PositionLeg>,
    /// One package, to close: what is held, turned over.
    pub closing: Vec<LegWire>,
    /// Profit on what is open.
    pub open_profit: String,
    /// Profit already booked.
    pub realised: String,
    /// Fees paid.
    pub fees: String,
    /// All of it.
    pub total: String,
    /// Open profit as a share of the most that can be made; absent without a limit.
    pub of_most: Option<f64>,
    /// Most to make on what is open.
    pub most: Option<String>,
    /// Most to lose on what is open; absent without a limit.
    pub least: Option<String>,
    /// Break-evens.
    pub evens: Vec<EvenWire>,
    /// Range strip; absent when several expirations are open.
    pub strip: Option<Strip>,
    /// Greeks in money; absent when a leg has no market.
    pub greeks: Option<GreeksWire>,
    /// Margin taken alone.
    pub margin: String,
}

/// The book.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct BookView {
    /// As of.
    pub at: String,
    /// Open campaigns, oldest first.
    pub positions: Vec<Position>,
    /// Margin by underlying, as held (positions together).
    pub held: Vec<HeldMargin>,
}

/// Margin held for one underlying.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct HeldMargin {
    /// Symbol.
    pub symbol: String,
    /// Amount.
    pub amount: String,
}

/// Builds the book.
pub fn book(state: &State, quoter: &mut Quoter) -> BookView {
    let open = campaigns(state);
    let mut held: Vec<HeldMargin> = Vec::new();
    for (symbol, _, _) in &open {
        if !held.iter().any(|h| h.symbol == *symbol) {
            held.push(HeldMargin {
                symbol: symbol.clone(),
                amount: money(requirement_of(state, quoter, symbol).total),
            });
        }
    }
    let positions = open
        .iter()
        .filter_map(|(symbol, id, lots)| position(state, quoter, symbol, *id, lots))
        .collect();
    BookView {
        at: moment(state.clock.now),
        positions,
        held,
    }
}

fn position(
    state: &State,
    quoter: &mut Quoter,
    symbol: &str,
    campaign: u64,
    lots: &[Lot],
) -> Option<Position> {
    let u = state.world.underlying(symbol)?;
    let s = structure_of(lots)?;
    let spot = state.world.spot(symbol, state.clock.now)?;
    // What was paid, a future counted at its price.
    let cost: Money = lots
        .iter()
        .map(|l| l.price.times(l.quantity * l.units))
        .sum();
    let mut open_profit = Money::ZERO;
    let legs: Vec<PositionLeg> = s
        .legs()
        .iter()
        .map(|l| {
            let own: Vec<&Lot> = lots
                .iter()
                .filter(|lot| lot.instrument == l.instrument)
                .collect();
            let units = l.quantity * u.units(&l.instrument);
            let paid: Money = own
                .iter()
                .map(|lot| lot.price.times(lot.quantity * lot.units))
                .sum();
            let mark = quoter
                .quote_any(&state.world, &l.instrument, state.clock.now)
                .map_or(own[0].price, |q| q.mark());
            let profit = mark.times(units) - paid;
            open_profit += profit;
            let average = Price::from_f64(paid.to_f64() / units as f64).unwrap_or_default();
            PositionLeg {
                contract: l.instrument.to_string(),
                label: instrument_label(&l.instrument),
                quantity: l.quantity,
                declined: l
                    .instrument
                    .option()
                    .filter(|c| l.quantity > 0 && state.clock.now.days_until(c.expiry) <= ASKED)
                    .map(|c| state.declined.contains(c)),
                opened_at: shown(average, u),
                mark: shown(mark, u),
                profit: money(profit),
            }
        })
        .collect();
    let totals = state.account.campaign(campaign);
    let shape = s.is_one_expiration().then(|| Shape::of(&s, u, -cost));
    let limited = |e: &Extent| {
        if let Extent::Limited { profit, .. } = e {
            Some(*profit)
        } else {
            None
        }
    };
    let most = shape
        .as_ref()
        .and_then(|s| limited(&s.most))
        .filter(|m| *m > Money::ZERO);
    let greek = position_greeks(state, quoter, symbol, lots).map(|g| greeks(&g.0));
    let proposal = desk::Proposal {
        structure: s.clone(),
        entry: desk::EntryPrice::Middle,
        range: None,
        closing: false,
    };
    let margin =
        evaluate(state, quoter, symbol, &proposal).map_or(Money::ZERO, |e| e.money.alone.total);
    let expiry = s.options().map(|(c, _)| c.expiry).min();
    Some(Position {
        campaign,
        symbol: symbol.to_owned(),
        name: desk::recognise(&s, u).text,
        strikes: s.strikes_label(),
        packages: s.packages(),
        opened: moment(lots.iter().map(|l| l.opened).min()?),
        expiry: expiry.map(desk::short_date),
        days: expiry.map(|e| state.clock.now.days_until(e)),
        closing: s
            .unit()
            .reversed()
            .legs()
            .iter()
            .map(|l| LegWire {
                contract: l.instrument.to_string(),
                quantity: l.quantity,
            })
            .collect(),
        open_profit: money(open_profit),
        realised: money(totals.realised),
        fees: money(totals.fees),
        total: money(open_profit + totals.realised - totals.fees),
        of_most: most.map(|m| open_profit.to_f64() / m.to_f64()),
        most: most.map(money),
        least: shape.as_ref().and_then(|s| limited(&s.least)).map(money),
        evens: shape
            .as_ref()
            .map_or_else(Vec::new, |s| s.evens.iter().map(even).collect()),
        strip: shape.as_ref().map(|shape| strip(shape, &s, spot.to_f64())),
        greeks: greek,
        margin: money(margin),
        legs,
    })
}

/// A price as its market writes it; a decimal one of cents with two decimals.
fn shown(price: Price, u: &desk::Underlying) -> String {
    match u.style_of_price {
        PriceStyle::Decimal if price.raw() % 1_000_000 != 0 => {
            Price::from_f64((price.to_f64() * 1e4).round() / 1e4)
                .unwrap_or(price)
                .to_string()
        }
        style => style.write(price),
    }
}

fn strip(shape: &Shape, s: &Holding, spot: f64) -> Strip {
    let evens = shape.evens.iter().flat_map(|e| match e {
        Even::Point(p) => vec![p.to_f64()],
        Even::Range(from, to) => [Some(*from), *to]
            .into_iter()
            .flatten()
            .map(Price::to_f64)
            .collect(),
    });
    let mut cuts: Vec<f64> = evens.collect();
    // Strikes and break-evens are on it, but for those that lie in another world.
    let places = s.options().map(|(c, _)| c.strike.to_f64()).chain(
        cuts.iter()
            .copied()
            .filter(|p| *p > 0.5 * spot && *p < 2.0 * spot),
    );
    let (a, b) = places.fold((spot, spot), |(a, b), k| (a.min(k), b.max(k)));
    let margin = ((b - a) * 0.25).max(spot * 0.04);
    let (low, high) = ((a - margin).max(0.0), b + margin);
    cuts.retain(|p| *p > low && *p < high);
    cuts.push(high);
    let mut from = low;
    let zones = cuts
        .into_iter()
        .map(|to| {
            let zone = Zone {
                from,
                to,
                gain: shape.profit_at((from + to) / 2.0) > 0.0,
            };
            from = to;
            zone
        })
        .collect();
    let shorts = s
        .options()
        .filter(|(_, n)| *n < 0)
        .map(|(c, _)| c.strike.to_f64())
        .collect();
    Strip {
        low,
        high,
        zones,
        spot,
        shorts,
    }
}
