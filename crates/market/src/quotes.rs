//! Markets around theoretical value.
//!
//! The theoretical value is the model price at the surface's volatility. American calls on shares
//! are worth the better of holding them to their end and exercising them just before an ex-date (F.
//! Black, "Fact and fantasy in the use of options", *Financial Analysts Journal* 31 (1975); a lower
//! bound that misses the right to wait and see: some cents at most). American puts, and both kinds
//! on futures, are priced as the European price of the very moment plus an early-exercise premium
//! from boundaries that are solved at the start of the current hour (in the last day of the current
//! ten minutes), once for an expiration, and taken at the volatility of the very moment: a pure
//! function of the moment, the same whether one contract is asked for or the whole chain. Around it stands a width by liquidity, price, moneyness and time of day; quotes are rounded
//! outward to the tick, and far strikes may have no bid.

use std::collections::BTreeMap;

use desk::calendar::{close_of, last_trading, open_of, previous_session};
use desk::{
    Contract, Expiration, Instrument, Kind, LegMarket, Moment, Price, Priced, PricedIn, Quote,
    Underlying, UnderlyingKind, day_number, terms_of,
};
use jiff::civil::Date;
use libm::{exp, log};
use quant::{
    Accuracy, EarlyExercise, PricedOn, Style, Terms, Valuation, Vanilla, europeans, find_root,
    implied_vol_all,
};
use rayon::prelude::*;

use crate::listing;
use crate::market_data::Listed;
use crate::noise::{Noise, Stream, contract_key, name_key};
use crate::paid::{before_dividends, without_dividends};
use crate::source::Slice;
use crate::world::World;

const A_MINUTE: i64 = 60_000;
/// Boundaries stand for an hour from half past, and for ten minutes in the last day before the end.
const SLOT: i64 = 60 * A_MINUTE;
const LAST_SLOT: i64 = 10 * A_MINUTE;
const LAST_DAY: i64 = 24 * 60 * A_MINUTE;
/// Sessions open at half past.
const HALF_PAST: i64 = 30 * A_MINUTE;
/// Volatilities may move so far from those at which boundaries were solved, as a factor.
const MOVED: f64 = 1.15;
/// How far ahead shares alone are looked at, in years.
const A_MONTH: f64 = 30.0 / 365.0;
/// Quotes shift a little inside their width this often.
const FLICKER: i64 = 6_000;

/// The start of the slot that a moment lies in, for options that end at another.
fn slot_of(at: Moment, end: Moment) -> Moment {
    let slot = if end.millis() - at.millis() > LAST_DAY {
        SLOT
    } else {
        LAST_SLOT
    };
    Moment::from_millis((at.millis() - HALF_PAST).div_euclid(slot) * slot + HALF_PAST)
}

/// Solved boundaries of the current slot, and what was quoted last. Only a memory: every
/// answer is a function of the world and the moment.
#[derive(Default)]
pub struct Quoter {
    slots: BTreeMap<String, BTreeMap<Date, Slot>>,
    moment: Option<Moment>,
    /// What was to be remembered at that moment, in order.
    asked: Vec<Contract>,
    /// The quote of each, of the stand-in market.
    quoted: Vec<Option<Listed>>,
    /// What an evaluation needs of each, where that was to be remembered too.
    legs: Option<Vec<Option<LegMarket>>>,
    /// Middles at a close, by root and date of the expiration.
    closes: BTreeMap<(String, Date), (Moment, BTreeMap<Contract, Price>)>,
}

/// Boundaries of one expiration as of the start of a slot.
struct Slot {
    start: Moment,
    exercise: Option<EarlyExercise>,
}

impl Slot {
    fn of(world: &World, underlying: &Underlying, contract: &Contract, start: Moment) -> Slot {
        let spot = world
            .spot(&underlying.symbol, start)
            .unwrap_or_default()
            .to_f64();
        let slice = world.slice(
            &underlying.symbol,
            start,
            underlying.expiry_moment(contract),
            spot,
        );
        Slot {
            start,
            exercise: slice.and_then(|s| exercise(&s, with_boundary(underlying), spot)),
        }
    }
}

/// A contract's place in the world: what quoting needs besides the moment.
struct Place<'a> {
    world: &'a World,
    underlying: &'a Underlying,
    contract: &'a Contract,
    key: u64,
}

impl Quoter {
    /// An empty memory.
    pub fn new() -> Quoter {
        Quoter::default()
    }

    /// Quotes one contract; `None` when its root is unknown or it has expired.
    pub fn quote(&mut self, world: &World, contract: &Contract, at: Moment) -> Option<Listed> {
        let remembered = self.place_of(contract, at);
        if let Some(listed) = remembered.and_then(|place| self.quoted[place]) {
            return Some(listed);
        }
        let underlying = world.owner(contract)?;
        if world.is_recorded(&underlying.symbol) {
            return recorded_quote(world, underlying, contract, at);
        }
        let spot = world.spot(&underlying.symbol, at)?.to_f64();
        self.prepare(world, underlying, contract, at);
        self.quote_at(
            world,
            underlying,
            std::slice::from_ref(contract),
            (at, last_trading(at)),
            spot,
        )
        .pop()
    }

    /// Where a contract stands in what is remembered of a moment.
    fn place_of(&self, contract: &Contract, at: Moment) -> Option<usize> {
        let known = self.moment == Some(at);
        known
            .then(|| self.asked.binary_search(contract).ok())
            .flatten()
    }

    /// Quotes contracts at one moment and remembers them: for a fraction of one by one where
    /// several end together. They are in order.
    pub fn remember(&mut self, world: &World, contracts: &[Contract], at: Moment) {
        let same = self.asked == contracts;
        if same && self.moment == Some(at) {
            return;
        }
        if !same {
            self.asked = contracts.to_vec();
        }
        self.moment = Some(at);
        self.legs = None;
        let simulated = |together: &'_ [Contract]| {
            world
                .owner(&together[0])
                .filter(|u| world.recorded(&u.symbol).is_none())
        };
        let groups: Vec<(&[Contract], Option<&Underlying>)> = contracts
            .chunk_by(|a, b| a.root == b.root && a.expiry == b.expiry)
            .map(|g| (g, simulated(g)))
            .collect();
        let missing: Vec<(&Contract, &Underlying)> = groups
            .iter()
            .filter_map(|(together, u)| Some((&together[0], (*u)?)))
            .filter(|(first, u)| self.misses(u, first, at).is_some())
            .collect();
        // Each is a function of world and moment, whatever thread works it out.
        let built: Vec<Slot> = missing
            .par_iter()
            .map(|(first, u)| Slot::of(world, u, first, slot_of(at, u.expiry_moment(first))))
            .collect();
        for ((first, _), slot) in missing.into_iter().zip(built) {
            self.keep(first, slot);
        }
        let live = last_trading(at);
        let quote = |this: &Quoter, together: &[Contract], underlying: &Underlying| {
            let spot = world.spot(&underlying.symbol, at)?.to_f64();
            let listed = this.quote_at(world, underlying, together, (at, live), spot);
            // Nothing is listed at its very end.
            (listed.len() == together.len()).then_some(listed)
        };
        let this = &*self;
        let each = groups.par_iter().map(|(together, underlying)| {
            let listed = underlying.and_then(|u| quote(this, together, u));
            listed.map_or_else(
                || vec![None; together.len()],
                |all| all.into_iter().map(Some).collect(),
            )
        });
        let quoted: Vec<Vec<Option<Listed>>> = each.collect();
        self.quoted = quoted.into_iter().flatten().collect();
    }

    /// As [`Quoter::remember`], and what [`Quoter::remembered_leg`] tells of each: the volatilities that the
    /// marks of an expiration imply are solved together.
    pub fn remember_legs(&mut self, world: &World, contracts: &[Contract], at: Moment) {
        self.remember(world, contracts, at);
        if self.legs.is_some() {
            return;
        }
        let quoted = self.asked.iter().zip(&self.quoted);
        let quoted: Vec<(&Contract, Option<&Listed>)> =
            quoted.map(|(c, l)| (c, l.as_ref())).collect();
        let together: Vec<&[(&Contract, Option<&Listed>)]> = quoted
            .chunk_by(|(a, _), (b, _)| a.root == b.root && a.expiry == b.expiry)
            .collect();
        // Each is a function of world and moment, whatever thread works it out.
        let legs: Vec<Vec<Option<LegMarket>>> =
            together.par_iter().map(|g| legs_of(world, g, at)).collect();
        self.legs = Some(legs.into_iter().flatten().collect());
    }

    /// Middles of an expiration at the close before the session of `at`; worked out once for a
    /// session.
    pub fn closing_middles(
        &mut self,
        world: &World,
        underlying: &Underlying,
        expiration: &Expiration,
        at: Moment,
    ) -> &BTreeMap<Contract, Price> {
        let close = close_of(previous_session(last_trading(at).date()));
        let key = (underlying.root_for(expiration).to_owned(), expiration.date);
        let kept = self
            .closes
            .entry(key)
            .or_insert((Moment::at(Date::MIN, 0, 0), BTreeMap::new()));
        if kept.0 != close {
            // With a memory of its own: the boundaries of now stay.
            let listed = Quoter::new().chain(world, underlying, expiration, close);
            *kept = (
                close,
                listed
                    .into_iter()
                    .map(|(c, l)| (c, l.quote.mid()))
                    .collect(),
            );
        }
        &kept.1
    }

    /// What is listed of an expiration and can be relied on, strikes ascending, calls before puts: both kinds
    /// at every strike, but for what is in doubt.
    pub fn chain(
        &mut self,
        world: &World,
        underlying: &Underlying,
        expiration: &Expiration,
        at: Moment,
    ) -> Vec<(Contract, Listed)> {
        let mut all = self.whole_chain(world, underlying, expiration, at);
        all.retain(|(_, l)| l.doubt.is_none());
        all
    }

    /// Both kinds at every listed strike of an expiration, strikes ascending, calls before puts; what is in
    /// doubt among them.
    pub fn whole_chain(
        &mut self,
        world: &World,
        underlying: &Underlying,
        expiration: &Expiration,
        at: Moment,
    ) -> Vec<(Contract, Listed)> {
        if let Some(r) = world.recorded(&underlying.symbol) {
            let rate = |at, years| world.rate(at, years);
            let key = (expiration.date, expiration.am_settled);
            return r.chain(key, at, rate).to_vec();
        }
        let Some(spot) = world.spot(&underlying.symbol, at) else {
            return Vec::new();
        };
        let strikes = listing::strikes(world, &underlying.symbol, expiration, at);
        let root = underlying.root_for(expiration);
        let both = |strike: Price| {
            [Kind::Call, Kind::Put].map(|kind| Contract {
                root: root.to_owned(),
                expiry: expiration.date,
                kind,
                strike,
            })
        };
        let contracts: Vec<Contract> = strikes.into_iter().flat_map(both).collect();
        if let Some(first) = contracts.first() {
            self.prepare(world, underlying, first, at);
        }
        let listed = self.quote_at(
            world,
            underlying,
            &contracts,
            (at, last_trading(at)),
            spot.to_f64(),
        );
        // Nothing is listed at its very end.
        if listed.len() == contracts.len() {
            contracts.into_iter().zip(listed).collect()
        } else {
            Vec::new()
        }
    }

    /// Quotes contracts of one expiration, which was prepared, at a moment and as of the last
    /// trading before it (closed, the last quotes of the session stand); none when it has passed.
    fn quote_at(
        &self,
        world: &World,
        underlying: &Underlying,
        contracts: &[Contract],
        (at, live): (Moment, Moment),
        spot: f64,
    ) -> Vec<Listed> {
        let Some(first) = contracts
            .first()
            .filter(|c| underlying.expiry_moment(c) > at)
        else {
            return Vec::new();
        };
        let places: Vec<Place<'_>> = contracts
            .iter()
            .map(|contract| Place {
                world,
                underlying,
                contract,
                key: contract_key(contract),
            })
            .collect();
        let expiry = underlying.expiry_moment(first);
        let Some(slice) = world.slice(&underlying.symbol, at, expiry, spot) else {
            return Vec::new();
        };
        let terms = |c: &Contract| {
            let vol = slice.vol(c.strike.to_f64());
            terms_of(c, underlying, at, (slice.rate, slice.carry_yield), vol)
        };
        let rows: Vec<(Terms, f64)> = contracts.iter().map(|c| (terms(c), spot)).collect();
        let Some(carry) = world.carry(&underlying.symbol, at) else {
            return Vec::new();
        };
        let mut values = europeans(&without_dividends(&carry, &rows, (at, expiry)));
        if underlying.style == Style::American {
            before_dividends(&carry, &rows, (at, expiry), &mut values);
            let kept = self
                .slots
                .get(&first.root)
                .and_then(|by_date| by_date.get(&first.expiry));
            if let Some(exercise) = kept.and_then(|slot| slot.exercise.as_ref()) {
                let kinds = with_boundary(underlying);
                let early: Vec<usize> = (0..rows.len())
                    .filter(|i| kinds.contains(&rows[*i].0.kind))
                    .collect();
                let then: Vec<(Kind, f64, f64)> = early
                    .iter()
                    .map(|i| &rows[*i].0)
                    .map(|t| (t.kind, t.strike, t.vol))
                    .collect();
                for (i, (price, delta)) in early.into_iter().zip(exercise.premiums(&then, spot)) {
                    let (t, value) = (&rows[i].0, &mut values[i]);
                    value.price = (value.price + price).max(t.kind.intrinsic(spot, t.strike));
                    value.delta = (value.delta + delta).clamp(-1.0, 1.0);
                }
            }
        }
        let live = Live::of(live);
        places
            .iter()
            .zip(rows.iter().zip(&values))
            .filter_map(|(place, ((terms, _), value))| place.listed(terms, value, &live, spot))
            .collect()
    }

    /// Market in an option or in the underlying itself; `None` for an index, which nobody can buy.
    pub fn quote_any(
        &mut self,
        world: &World,
        instrument: &Instrument,
        at: Moment,
    ) -> Option<Quote> {
        match instrument {
            Instrument::Option(contract) => Some(self.quote(world, contract, at)?.quote),
            Instrument::Underlying(symbol) => underlying_quote(world, symbol, at),
        }
    }

    /// As [`Quoter::leg`], for an option or the underlying itself.
    pub fn leg_any(
        &mut self,
        world: &World,
        instrument: &Instrument,
        at: Moment,
    ) -> Option<LegMarket> {
        match instrument {
            Instrument::Option(contract) => self.leg(world, contract, at),
            Instrument::Underlying(symbol) => leg_of_underlying(world, symbol, at),
        }
    }

    /// What an evaluation needs of one leg: quotes and the volatility its mark implies.
    pub fn leg(&mut self, world: &World, contract: &Contract, at: Moment) -> Option<LegMarket> {
        if let Some(leg) = self.known_leg(contract, at) {
            return Some(leg);
        }
        let listed = self.quote(world, contract, at)?;
        let one = [(contract, Some(&listed))];
        legs_of(world, &one, at).pop().flatten()
    }

    /// What was remembered of a leg at a moment.
    fn known_leg(&self, contract: &Contract, at: Moment) -> Option<LegMarket> {
        *self.legs.as_ref()?.get(self.place_of(contract, at)?)?
    }

    /// The volatility of a contract's strike at a moment: of the surface, or what its own quote or that of
    /// the other right implies, or at the money where neither does.
    pub(crate) fn vol_of(&mut self, world: &World, contract: &Contract, at: Moment) -> Option<f64> {
        let u = world.owner(contract)?;
        let (expiry, spot) = (
            u.expiry_moment(contract),
            world.spot(&u.symbol, at)?.to_f64(),
        );
        if let Some(slice) = world.slice(&u.symbol, at, expiry, spot) {
            return Some(slice.vol(contract.strike.to_f64()));
        }
        let quoted = [Kind::Put, Kind::Call].into_iter().find_map(|kind| {
            let either = Contract {
                kind,
                ..contract.clone()
            };
            self.quote(world, &either, at)?.implied
        });
        quoted.or_else(|| {
            let years = at.years_until(expiry).max(1.0 / 525_600.0);
            Some((world.total_variance(&u.symbol, at, expiry)? / years).sqrt())
        })
    }

    /// As [`Quoter::leg_any`] of what [`Quoter::remember_legs`] was told at this moment; it can be asked by
    /// several threads.
    pub fn remembered_leg(
        &self,
        world: &World,
        instrument: &Instrument,
        at: Moment,
    ) -> Option<LegMarket> {
        match instrument {
            Instrument::Option(contract) => {
                // What is recorded remembers itself.
                let underlying = world.owner(contract)?;
                if world.is_recorded(&underlying.symbol) {
                    let listed = recorded_quote(world, underlying, contract, at)?;
                    let one = [(contract, Some(&listed))];
                    return legs_of(world, &one, at).pop().flatten();
                }
                self.known_leg(contract, at)
            }
            Instrument::Underlying(symbol) => leg_of_underlying(world, symbol, at),
        }
    }

    /// Solves the boundaries of the contract's expiration as of the slot that `at` lies in, where
    /// they are not known.
    fn prepare(&mut self, world: &World, underlying: &Underlying, contract: &Contract, at: Moment) {
        if let Some(start) = self.misses(underlying, contract, at) {
            self.keep(contract, Slot::of(world, underlying, contract, start));
        }
    }

    /// Of which slot boundaries are needed and not known.
    fn misses(&self, underlying: &Underlying, contract: &Contract, at: Moment) -> Option<Moment> {
        let start = slot_of(at, underlying.expiry_moment(contract));
        let known = self
            .slots
            .get(&contract.root)
            .and_then(|by_date| by_date.get(&contract.expiry));
        let needed =
            underlying.style == Style::American && known.is_none_or(|kept| kept.start != start);
        needed.then_some(start)
    }

    fn keep(&mut self, contract: &Contract, slot: Slot) {
        let by_date = self.slots.entry(contract.root.clone()).or_default();
        by_date.insert(contract.expiry, slot);
    }

    /// Forgets expirations that have passed.
    pub fn forget_before(&mut self, at: Moment) {
        let today = at.date();
        for by_date in self.slots.values_mut() {
            by_date.retain(|expiry, _| *expiry >= today);
        }
        self.closes.retain(|(_, expiry), _| *expiry >= today);
    }
}

/// What was recorded of a contract that has not ended.
fn recorded_quote(
    world: &World,
    underlying: &Underlying,
    contract: &Contract,
    at: Moment,
) -> Option<Listed> {
    let rate = |at, years| world.rate(at, years);
    let listed = world
        .recorded(&underlying.symbol)?
        .quote(contract, at, rate);
    listed.filter(|_| underlying.expiry_moment(contract) > at)
}

/// A number for how long a quote and its sizes stand: the same while they do. Of a recorded name
/// they stand until the next recorded moment.
pub(crate) fn quote_standing(world: &World, instrument: &Instrument, at: Moment) -> i64 {
    let underlying = world.underlying_of(instrument);
    if let Some(r) = underlying.and_then(|u| world.recorded(&u.symbol)) {
        return r.standing(at);
    }
    let live = last_trading(at).millis();
    match instrument {
        Instrument::Option(contract) => beat(live, contract_key(contract)),
        Instrument::Underlying(_) => live / FLICKER,
    }
}

/// Each contract shifts at an instant of its own.
fn beat(live: i64, key: u64) -> i64 {
    (live + (key % FLICKER as u64) as i64) / FLICKER
}

/// What an evaluation needs of quoted contracts of one expiration: the volatility that each mark implies where
/// it tells one, otherwise that of the surface.
fn legs_of(
    world: &World,
    quoted: &[(&Contract, Option<&Listed>)],
    at: Moment,
) -> Vec<Option<LegMarket>> {
    let found = quoted.first().and_then(|(first, _)| {
        let u = world.owner(first)?;
        let spot = world.spot(&u.symbol, at)?.to_f64();
        if world.is_recorded(&u.symbol) {
            return Some(recorded_legs(world, u, quoted, at));
        }
        simulated_legs(world, u, quoted, (at, spot))
    });
    found.unwrap_or_else(|| vec![None; quoted.len()])
}

fn recorded_legs(
    world: &World,
    underlying: &Underlying,
    quoted: &[(&Contract, Option<&Listed>)],
    at: Moment,
) -> Vec<Option<LegMarket>> {
    let each = quoted.iter().map(|(contract, listed)| {
        let listed = (*listed)?;
        let expiry = underlying.expiry_moment(contract);
        let vol = listed.implied.or_else(|| {
            let years = at.years_until(expiry).max(1.0 / 525_600.0);
            Some((world.total_variance(&underlying.symbol, at, expiry)? / years).sqrt())
        })?;
        Some(LegMarket {
            quote: listed.quote,
            vol,
            theoretical: listed.theoretical,
            rate: world.rate(at, at.years_until(expiry)),
        })
    });
    each.collect()
}

fn simulated_legs(
    world: &World,
    underlying: &Underlying,
    quoted: &[(&Contract, Option<&Listed>)],
    (at, spot): (Moment, f64),
) -> Option<Vec<Option<LegMarket>>> {
    let expiry = underlying.expiry_moment(quoted.first()?.0);
    let slice = world.slice(&underlying.symbol, at, expiry, spot)?;
    let carry = world.carry(&underlying.symbol, at)?;
    let pays = carry.dividends(at, expiry).next().is_some();
    let terms = |contract: &Contract| {
        let vol = slice.vol(contract.strike.to_f64());
        terms_of(
            contract,
            underlying,
            at,
            (slice.rate, slice.carry_yield),
            vol,
        )
    };
    // A call that may be exercised before a dividend has a model of its own.
    let before_dividends = |contract: &Contract, mark: f64| {
        let price = |vol: f64| {
            let within = PricedIn {
                rate: slice.rate,
                carry: &carry,
                spot,
                vol,
            };
            Priced::new(contract, underlying, at, &within).map_or(f64::NAN, |p| p.price(spot))
        };
        let root = find_root(|vol| price(vol) - mark, 1e-3, 5.0, 1e-9);
        root.ok().map(|root| root.x)
    };
    let mut vols: Vec<Option<f64>> = vec![None; quoted.len()];
    let (mut places, mut rows) = (Vec::new(), Vec::new());
    for (place, (contract, listed)) in quoted.iter().enumerate() {
        let Some(listed) = listed.filter(|l| l.implied.is_some()) else {
            continue;
        };
        let mark = listed.quote.mark().to_f64();
        if pays && contract.kind == Kind::Call {
            vols[place] = before_dividends(contract, mark);
        } else {
            let row = Vanilla {
                terms: terms(contract),
                spot,
                on: PricedOn::Spot,
            };
            places.push(place);
            rows.push((row, mark));
        }
    }
    for (place, vol) in places
        .into_iter()
        .zip(implied_vol_all(&rows, Accuracy::Interactive))
    {
        vols[place] = vol.ok();
    }
    let each = quoted.iter().zip(vols).map(|((contract, listed), vol)| {
        let listed = (*listed)?;
        let terms = terms(contract);
        Some(LegMarket {
            quote: listed.quote,
            vol: vol.filter(|v| *v > 0.005).unwrap_or(terms.vol),
            theoretical: listed.theoretical,
            rate: terms.rate,
        })
    });
    Some(each.collect())
}

fn leg_of_underlying(world: &World, symbol: &str, at: Moment) -> Option<LegMarket> {
    Some(LegMarket::of_underlying(
        underlying_quote(world, symbol, at)?,
        world.spot(symbol, at)?,
        world.rate(at, A_MONTH),
    ))
}

/// The market in shares or a future: some ticks around the price, by how liquid and how dear it is.
fn underlying_quote(world: &World, symbol: &str, at: Moment) -> Option<Quote> {
    let underlying = world.underlying(symbol)?;
    if underlying.kind == UnderlyingKind::Index
        || underlying
            .last_session
            .is_some_and(|last| at >= underlying.end_on(last, false))
    {
        return None;
    }
    let (price, live, key) = (world.spot(symbol, at)?, last_trading(at), name_key(symbol));
    // Of a recorded name the price alone is known: a tick on each side of it is assumed.
    let Some(spec) = world.simulated(symbol).map(|s| &s.spec) else {
        return Some(Quote {
            bid: price - underlying.own_tick,
            ask: price + underlying.own_tick,
            ..Quote::at(price)
        });
    };
    let ticks = (spec.width * price.to_f64() * 1e-4 / underlying.own_tick.to_f64())
        .ceil()
        .max(1.0) as i64;
    let beat = live.millis() / FLICKER;
    let uniform = |stream, index| world.noise().uniform(stream, key, index);
    let below = (ticks + i64::from(uniform(Stream::Skew, beat) < 0.5)) / 2;
    let bid = price - underlying.own_tick * below;
    let lot = if underlying.kind == UnderlyingKind::Future {
        2
    } else {
        100
    };
    let size = |side: i64| {
        lot * (1 + (uniform(Stream::Size, 2 * beat + side).powi(2) * 40.0 * spec.activity) as i64)
    };
    Some(Quote {
        bid,
        ask: bid + underlying.own_tick * ticks,
        bid_size: Some(size(0)),
        ask_size: Some(size(1)),
        volume: None,
        open_interest: None,
    })
}

/// The kinds of American options whose early exercise has a boundary: calls on shares are exercised
/// before dividends alone.
fn with_boundary(underlying: &Underlying) -> &'static [Kind] {
    if underlying.kind == UnderlyingKind::Future {
        &[Kind::Call, Kind::Put]
    } else {
        &[Kind::Put]
    }
}

/// Boundaries over the volatilities that the expiration's strikes have; absent where the models
/// have none.
fn exercise(slice: &Slice, kinds: &[Kind], spot: f64) -> Option<EarlyExercise> {
    // The smile is at its lowest within a deviation or two and rises to both sides.
    let reach = (8.0 * slice.vol(spot) * slice.years.sqrt()).clamp(0.1, 1.2);
    let vols = (-16..=16).map(|i| slice.vol(spot * exp(reach * f64::from(i) / 16.0)));
    let (low, high) = vols.fold((f64::INFINITY, 0.0_f64), |(a, b), v| (a.min(v), b.max(v)));
    let (low, high) = (low / MOVED, high * MOVED);
    EarlyExercise::new(kinds, slice.years, slice.rate, slice.carry_yield, low, high).ok()
}

/// Where the last trading before a moment stands in its session.
struct Live {
    at: Moment,
    day: i64,
    minute: i64,
    /// Minutes since the opening, and how many there are.
    since_open: f64,
    session: f64,
}

impl Live {
    fn of(at: Moment) -> Live {
        let (open, close) = (open_of(at.date()).millis(), close_of(at.date()).millis());
        let minutes = |millis: i64| millis as f64 / A_MINUTE as f64;
        Live {
            at,
            day: day_number(at.date()),
            minute: at.millis() / A_MINUTE,
            since_open: minutes(at.millis() - open),
            session: minutes(close - open),
        }
    }
}

impl Place<'_> {
    fn noise(&self) -> Noise {
        self.world.noise()
    }

    fn listed(&self, terms: &Terms, value: &Valuation, live: &Live, spot: f64) -> Option<Listed> {
        let quote = self.market(value.price, value.delta, live, spot)?;
        let off = quote.mid().to_f64() - value.price;
        let width = (quote.ask - quote.bid).to_f64();
        let informative = value.vega_point > width / 30.0 && quote.bid.raw() > 0;
        // The middle lies within a tick or two of the theoretical value: one Newton step is exact
        // to a hundredth of a point where the number means anything.
        let implied = (terms.vol + off / (value.vega_point * 100.0)).max(0.0);
        let last = (quote.volume > Some(0)).then(|| self.last(&quote, live));
        Some(Listed {
            quote,
            last,
            theoretical: value.price,
            delta: value.delta,
            implied: informative.then_some(implied),
            doubt: None,
        })
    }

    fn market(&self, value: f64, delta: f64, live: &Live, spot: f64) -> Option<Quote> {
        let spec = &self.world.simulated(&self.underlying.symbol)?.spec;
        let early = 1.0 + 0.8 * exp(-live.since_open / 15.0);
        let wiggle = 0.8 + 0.5 * self.noise().uniform(Stream::Width, self.key, live.minute);
        let deep = 1.0 + 1.2 * (delta.abs() - 0.5).max(0.0);
        let scale = spot / 200.0;
        let width = spec.width
            * early
            * wiggle
            * deep
            * (0.025 * scale.max(0.2) + 0.011 * value.max(0.0)).max(0.0);
        let beat = beat(live.at.millis(), self.key);
        let lean = (self.noise().uniform(Stream::Skew, self.key, beat) - 0.5) * 0.3 * width;
        let ticks = &self.underlying.ticks;
        let centre = value + lean;
        let bid = ticks.floor(Price::from_f64((centre - width / 2.0).max(0.0))?);
        let mut ask = ticks.ceil(Price::from_f64((centre + width / 2.0).max(0.0))?);
        if ask <= bid {
            ask = ticks.ceil(bid + ticks.tick_at(bid));
        }
        let uniform = |stream, index| self.noise().uniform(stream, self.key, index);
        let size = |side: i64| {
            1 + (uniform(Stream::Size, 2 * beat + side).powi(2) * 60.0 * spec.activity.sqrt())
                as i64
        };
        let popularity = self.popularity(spec.activity, spot);
        let part = live.since_open / live.session;
        let volume = popularity * 0.12 * part * 2.0 * uniform(Stream::Volume, live.day);
        let drift = 0.85 + 0.3 * uniform(Stream::Interest, live.day / 5);
        Some(Quote {
            bid,
            ask,
            bid_size: Some(if bid.raw() == 0 { 0 } else { size(0) }),
            ask_size: Some(size(1)),
            volume: Some(volume as i64),
            open_interest: Some((popularity * drift) as i64),
        })
    }

    /// The last trade stood somewhere in the market of its minute.
    fn last(&self, quote: &Quote, live: &Live) -> Price {
        let ticks = &self.underlying.ticks;
        let place = self
            .noise()
            .uniform(Stream::Last, self.key, live.at.millis() / 180_000);
        let price =
            quote.bid + Price::from_raw(((quote.ask - quote.bid).raw() as f64 * place) as i64);
        ticks.floor(price).max(ticks.ceil(Price::from_raw(1)))
    }

    /// Contracts open: most near the money, at round strikes and in monthlies.
    fn popularity(&self, activity: f64, spot: f64) -> f64 {
        let strike = self.contract.strike.to_f64();
        let distance = log(strike / spot);
        let near = exp(-(distance * 7.0).powi(2)) + 0.03;
        let magnitudes = [0.01, 0.1, 1.0, 10.0, 100.0, 1_000.0];
        let unit = magnitudes
            .iter()
            .rev()
            .find(|m| **m * 10.0 <= spot)
            .copied()
            .unwrap_or(0.01);
        let round = if strike % (5.0 * unit) == 0.0 {
            3.0
        } else if strike % unit == 0.0 {
            1.8
        } else {
            0.7
        };
        let own = !self.underlying.own_dates.is_empty();
        let expiry = self.contract.expiry;
        // A third Friday, or the session before it: looked up only where it can be.
        let may = (14..=21).contains(&expiry.day());
        let monthly = if own
            || may && desk::calendar::monthly_expiration(expiry.year(), expiry.month()) == expiry
        {
            3.0
        } else {
            1.0
        };
        let liked = 0.3 + 1.4 * self.noise().uniform(Stream::Interest, self.key, -1);
        900.0 * activity * near * round * monthly * liked
    }
}
