//! Markets around theoretical value.
//!
//! The theoretical value is the model price at the surface's volatility. American calls on shares
//! are worth the better of holding them to their end and exercising them just before an ex-date (F.
//! Black, "Fact and fantasy in the use of options", *Financial Analysts Journal* 31 (1975); a lower
//! bound that misses the right to wait and see: some cents at most). American puts, and both kinds
//! on futures, are priced as the European price of the very moment plus an early-exercise premium
//! from boundaries that are solved at the start of the current ten minutes, once for an expiration:
//! a pure function of the moment, the same whether one contract is asked for or the whole chain.
//! Around it stands a width by liquidity, price, moneyness and time of day; quotes are rounded
//! outward to the tick, and far strikes may have no bid.

use std::collections::BTreeMap;

use desk::calendar::{close_of, last_trading, open_of, previous_session};
use desk::{
    Contract, Expiration, Instrument, Kind, LegMarket, Moment, Price, Priced, PricedIn, Quote,
    Underlying, UnderlyingKind, day_number, terms_of,
};
use jiff::civil::Date;
use libm::{exp, log};
use quant::{EarlyExercise, Style, Terms, Valuation, europeans, find_root, implied_vol};
use rayon::prelude::*;

use crate::listing;
use crate::market_data::Listed;
use crate::noise::{Noise, Stream, contract_key, name_key};
use crate::paid::{before_dividends, without_dividends};
use crate::simulated::Slice;
use crate::world::World;

const SLOT: i64 = 10 * 60_000;
/// How far ahead shares alone are looked at, in years.
const A_MONTH: f64 = 30.0 / 365.0;
/// Quotes shift a little inside their width this often.
const FLICKER: i64 = 6_000;

/// Solved boundaries of the current ten minutes, and what was quoted last. Only a memory: every
/// answer is a function of the world and the moment.
#[derive(Default)]
pub struct Quoter {
    slots: BTreeMap<String, BTreeMap<Date, Slot>>,
    moment: Option<Moment>,
    /// In order of the contracts.
    quoted: Vec<(Contract, Listed)>,
    /// Middles at a close, by root and date of the expiration.
    closes: BTreeMap<(String, Date), (Moment, BTreeMap<Contract, Price>)>,
}

/// Boundaries of one expiration as of the start of a slot.
struct Slot {
    number: i64,
    slice: Option<Slice>,
    exercise: Option<EarlyExercise>,
}

impl Slot {
    fn of(world: &World, underlying: &Underlying, contract: &Contract, number: i64) -> Slot {
        let start = Moment::from_millis(number * SLOT);
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
            number,
            slice,
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
        if self.moment == Some(at)
            && let Ok(place) = self
                .quoted
                .binary_search_by(|(known, _)| known.cmp(contract))
        {
            return Some(self.quoted[place].1);
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

    /// Quotes contracts at one moment and remembers them: for a fraction of one by one where
    /// several end together. They are in order.
    pub fn remember(&mut self, world: &World, contracts: &[Contract], at: Moment) {
        self.moment = Some(at);
        self.quoted.clear();
        let simulated = |together: &'_ [Contract]| {
            world
                .owner(&together[0])
                .filter(|u| world.recorded(&u.symbol).is_none())
        };
        let groups: Vec<(&[Contract], &Underlying)> = contracts
            .chunk_by(|a, b| a.root == b.root && a.expiry == b.expiry)
            .filter_map(|g| Some((g, simulated(g)?)))
            .collect();
        let number = at.millis().div_euclid(SLOT);
        let missing: Vec<(&Contract, &Underlying)> = groups
            .iter()
            .map(|(together, u)| (&together[0], *u))
            .filter(|(first, u)| self.misses(u, first, number))
            .collect();
        // Each is a function of world and moment, whatever thread works it out.
        let built: Vec<Slot> = missing
            .par_iter()
            .map(|(first, u)| Slot::of(world, u, first, number))
            .collect();
        for ((first, _), slot) in missing.into_iter().zip(built) {
            self.keep(first, slot);
        }
        let live = last_trading(at);
        let quote = |this: &Quoter, (together, underlying): &(&[Contract], &Underlying)| {
            let spot = world
                .spot(&underlying.symbol, at)
                .unwrap_or_default()
                .to_f64();
            this.quote_at(world, underlying, together, (at, live), spot)
        };
        let this = &*self;
        let listed: Vec<Vec<Listed>> = groups.par_iter().map(|g| quote(this, g)).collect();
        for ((together, _), listed) in groups.iter().zip(listed) {
            if listed.len() == together.len() {
                self.quoted.extend(together.iter().cloned().zip(listed));
            }
        }
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
            if let Some(Slot {
                exercise: Some(exercise),
                slice: Some(slice),
                ..
            }) = kept
            {
                let kinds = with_boundary(underlying);
                let early: Vec<usize> = (0..rows.len())
                    .filter(|i| kinds.contains(&rows[*i].0.kind))
                    .collect();
                let then: Vec<(Kind, f64, f64)> = early
                    .iter()
                    .map(|i| &rows[*i].0)
                    .map(|t| (t.kind, t.strike, slice.vol(t.strike)))
                    .collect();
                for (i, (price, delta)) in early.into_iter().zip(exercise.premiums(&then, spot)) {
                    let (t, value) = (&rows[i].0, &mut values[i]);
                    value.price = (value.price + price).max(t.kind.intrinsic(spot, t.strike));
                    value.delta = (value.delta + delta).clamp(-1.0, 1.0);
                }
            }
        }
        places
            .iter()
            .zip(rows.iter().zip(&values))
            .filter_map(|(place, ((terms, _), value))| place.listed(terms, value, live, spot))
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
        let listed = self.quote(world, contract, at)?;
        Quoter::leg_of(world, contract, at, &listed)
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

    /// As [`Quoter::leg_any`] of what was remembered at this moment; it can be asked by several
    /// threads.
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
                    return Quoter::leg_of(world, contract, at, &listed);
                }
                let known = self.moment == Some(at);
                let place = self.quoted.binary_search_by(|(c, _)| c.cmp(contract));
                let listed = self.quoted.get(place.ok().filter(|_| known)?)?.1;
                Quoter::leg_of(world, contract, at, &listed)
            }
            Instrument::Underlying(symbol) => leg_of_underlying(world, symbol, at),
        }
    }

    fn leg_of(
        world: &World,
        contract: &Contract,
        at: Moment,
        listed: &Listed,
    ) -> Option<LegMarket> {
        let underlying = world.owner(contract)?;
        let spot = world.spot(&underlying.symbol, at)?.to_f64();
        let expiry = underlying.expiry_moment(contract);
        if world.recorded(&underlying.symbol).is_some() {
            let vol = listed.implied.or_else(|| {
                let years = at.years_until(expiry).max(1.0 / 525_600.0);
                Some((world.total_variance(&underlying.symbol, at, expiry)? / years).sqrt())
            })?;
            return Some(LegMarket {
                quote: listed.quote,
                vol,
                theoretical: listed.theoretical,
                rate: world.rate(at, at.years_until(expiry)),
            });
        }
        let slice = world.slice(&underlying.symbol, at, expiry, spot)?;
        let terms = terms_of(
            contract,
            underlying,
            at,
            (slice.rate, slice.carry_yield),
            slice.vol(contract.strike.to_f64()),
        );
        let mark = listed.quote.mark().to_f64();
        let carry = world.carry(&underlying.symbol, at)?;
        let pays = carry.dividends(at, expiry).next().is_some();
        let solve = || {
            if pays && contract.kind == Kind::Call {
                let price = |vol: f64| {
                    Priced::new(
                        contract,
                        underlying,
                        at,
                        &PricedIn {
                            rate: terms.rate,
                            carry: &carry,
                            spot,
                            vol,
                        },
                    )
                    .map_or(f64::NAN, |p| p.price(spot))
                };
                find_root(|vol| price(vol) - mark, 1e-3, 5.0, 1e-9)
                    .ok()
                    .map(|root| root.x)
            } else {
                implied_vol(&terms, spot, mark).ok()
            }
        };
        let vol = listed
            .implied
            .and_then(|_| solve())
            .filter(|v| *v > 0.005)
            .unwrap_or(terms.vol);
        Some(LegMarket {
            quote: listed.quote,
            vol,
            theoretical: listed.theoretical,
            rate: terms.rate,
        })
    }

    /// Solves the boundaries of the contract's expiration as of the slot that `at` lies in, where
    /// they are not known.
    fn prepare(&mut self, world: &World, underlying: &Underlying, contract: &Contract, at: Moment) {
        let number = at.millis().div_euclid(SLOT);
        if self.misses(underlying, contract, number) {
            self.keep(contract, Slot::of(world, underlying, contract, number));
        }
    }

    /// Whether boundaries of a slot are needed and not known.
    fn misses(&self, underlying: &Underlying, contract: &Contract, number: i64) -> bool {
        let known = self
            .slots
            .get(&contract.root)
            .and_then(|by_date| by_date.get(&contract.expiry));
        underlying.style == Style::American && known.is_none_or(|kept| kept.number != number)
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
    EarlyExercise::new(kinds, slice.years, slice.rate, slice.carry_yield, low, high).ok()
}

impl Place<'_> {
    fn noise(&self) -> Noise {
        self.world.noise()
    }

    fn listed(&self, terms: &Terms, value: &Valuation, live: Moment, spot: f64) -> Option<Listed> {
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

    fn market(&self, value: f64, delta: f64, live: Moment, spot: f64) -> Option<Quote> {
        let spec = &self.world.simulated(&self.underlying.symbol)?.spec;
        let day = day_number(live.date());
        let minute = live.millis() / 60_000;
        let since_open = (live.millis() - open_of(live.date()).millis()) as f64 / 60_000.0;
        let early = 1.0 + 0.8 * exp(-since_open / 15.0);
        let wiggle = 0.8 + 0.5 * self.noise().uniform(Stream::Width, self.key, minute);
        let deep = 1.0 + 1.2 * (delta.abs() - 0.5).max(0.0);
        let scale = spot / 200.0;
        let width = spec.width
            * early
            * wiggle
            * deep
            * (0.025 * scale.max(0.2) + 0.011 * value.max(0.0)).max(0.0);
        let beat = beat(live.millis(), self.key);
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
        let session =
            (close_of(live.date()).millis() - open_of(live.date()).millis()) as f64 / 60_000.0;
        let part = since_open / session;
        let volume = popularity * 0.12 * part * 2.0 * uniform(Stream::Volume, day);
        let drift = 0.85 + 0.3 * uniform(Stream::Interest, day / 5);
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
    fn last(&self, quote: &Quote, live: Moment) -> Price {
        let ticks = &self.underlying.ticks;
        let place = self
            .noise()
            .uniform(Stream::Last, self.key, live.millis() / 180_000);
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
