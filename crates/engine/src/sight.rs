//! What is seen of the book at a moment, as far as rules, bells, rounds and the daily record are
//! about it: the campaigns from their chapters, marked in the market of that moment, so that a
//! campaign of today and one of a past day are seen by the same code.

use std::collections::HashMap;
use std::sync::Arc;

use desk::calendar::{close_of, open_of, previous_session};
use desk::rules::{CampaignSeen, Largest, Needs, NextDate, SeenGreeks, SoldLeg, sessions_to};
use desk::{
    BookGreeks, Campaign, Carry, Contract, EventKind, Holding, Instrument, Kind, Leg, LegMarket,
    Legs, Moment, Money, PositionGreeks, Price, Shape, Standing, Structure, Underlying, vol_rank,
    zones_of,
};
use jiff::civil::Date;
use market::{Quoter, World};
use rayon::prelude::*;

use crate::campaigns::all_open;
use crate::money::{account_value, alone, evaluate_alone, remember_held_legs};
use crate::state::State;

/// Sessions of a year, for the rank of a volatility.
pub const YEAR: usize = 252;
/// How far ahead events are looked for, in days.
const EVENTS_AHEAD: i64 = 120;

/// A memory of what changes only from day to day, or never. Every answer is a function of world and
/// moment.
#[derive(Default)]
pub struct Sights {
    ranks: HashMap<String, (Date, Vec<f64>)>,
    /// The next earnings or decision and the next ex-date, by symbol: outcomes become known at
    /// openings alone.
    next: HashMap<String, ((Date, bool), NextDates)>,
    /// Campaigns by number, after so many chapters.
    known: HashMap<u64, (usize, Arc<Stood>)>,
    /// Volatility at the entry, by campaign and the moment of its opening.
    entries: HashMap<(u64, Moment), Option<f64>>,
    /// What campaigns of one symbol share at a moment.
    shared: HashMap<String, Shared>,
}

/// What campaigns of one symbol share at a moment, each worked out when it is first asked for.
struct Shared {
    at: Moment,
    spot: Option<Price>,
    rank: Option<Option<f64>>,
    /// Volatility until an end.
    vols: Vec<(Moment, Option<f64>)>,
}

/// The next earnings or decision, and the next ex-date.
#[derive(Debug, Clone, Copy, Default)]
struct NextDates {
    news: Option<NextDate>,
    ex: Option<NextDate>,
}

/// Volatility of 30 days ahead, at the money; nothing where nothing is known.
pub fn vol30(world: &World, symbol: &str, at: Moment) -> Option<f64> {
    let end = at.plus_millis(30 * 86_400_000);
    Some((world.total_variance(symbol, at, end)? / at.years_until(end)).sqrt()).filter(|v| *v > 0.0)
}

/// Volatility realised over the past 30 sessions; nothing without a past.
pub fn realised30(world: &World, symbol: &str, at: Moment) -> Option<f64> {
    desk::realised(&world.closes(symbol, at, 31)?)
}

/// Volatilities of 30 days at the closes of the year before a date.
fn past_vols(world: &World, symbol: &str, today: Date) -> Vec<f64> {
    let mut day = today;
    let before = std::iter::from_fn(|| {
        day = previous_session(day);
        Some(close_of(day))
    });
    let known = before
        .take(YEAR)
        .filter(|at| world.knows_chain(symbol, *at));
    known.filter_map(|at| vol30(world, symbol, at)).collect()
}

/// Where the volatility of 30 days stands in its past year of closes.
pub fn vol_standing(world: &World, symbol: &str, at: Moment) -> Option<desk::VolRank> {
    vol_rank(
        vol30(world, symbol, at)?,
        &past_vols(world, symbol, at.date()),
    )
}

/// Price of the index now; 1 where there is none.
pub fn index_price(state: &State) -> f64 {
    state
        .world
        .spot(state.world.index(), state.clock.now)
        .map_or(1.0, Price::to_f64)
}

/// What a campaign stands at, and what follows from that alone.
pub struct Stood {
    /// What it holds, at which basis, and what was received.
    pub stands: Standing,
    /// What it holds, as a kind of structure.
    pub structure: Structure,
    /// Its outline where all that is held ends together; otherwise it is the model's.
    pub exact: Option<Shape>,
}

impl Stood {
    /// As of a moment; nothing before its opening.
    pub fn at(campaign: &Campaign, at: Moment, u: &Underlying) -> Option<Stood> {
        let stands = campaign.standing(at)?;
        let held = &stands.held;
        let ends_together = held.is_one_expiration() || held.options().next().is_none();
        Some(Stood {
            exact: (ends_together && !held.is_empty())
                .then(|| Shape::of(held, u, stands.received())),
            structure: Structure::of(held, u),
            stands,
        })
    }
}

/// What is held of it is worth so much now, a future its price; nothing where a leg has no market.
fn worth(state: &State, quoter: &mut Quoter, held: &Holding, u: &Underlying) -> Option<Money> {
    let at = state.clock.now;
    let mut sum = Money::ZERO;
    for leg in held.legs() {
        let mark = quoter.quote_any(&state.world, &leg.instrument, at)?.mark();
        sum += mark.times(leg.quantity * u.units(&leg.instrument));
    }
    Some(sum)
}

/// The outline of the whole campaign as of the state's moment: exact where all that is held ends
/// together, otherwise the model's.
pub(crate) fn shape(
    state: &State,
    quoter: &mut Quoter,
    of: &Stood,
    u: &Underlying,
) -> Option<Shape> {
    if of.stands.held.is_empty() || of.exact.is_some() {
        return of.exact.clone();
    }
    let judged = evaluate_alone(state, quoter, &u.symbol, &of.stands.proposal());
    judged.ok().map(|e| e.horizon.shape)
}

/// One of something held, ready to be priced, and its market.
pub(crate) struct One {
    pub instrument: Instrument,
    pub quantity: i64,
    pub market: LegMarket,
    /// Of a single contract or share.
    pub priced: Legs,
    pub greeks: PositionGreeks,
}

/// What a campaign holds that has a market, each made ready to be priced.
pub(crate) struct Held<'a> {
    pub campaign: &'a Campaign,
    pub underlying: &'a Underlying,
    pub spot: f64,
    pub each: Vec<One>,
}

impl Held<'_> {
    /// Greeks of all of it.
    pub(crate) fn greeks(&self) -> PositionGreeks {
        let each = self.each.iter();
        each.fold(PositionGreeks::default(), |sum, one| {
            sum.plus(one.greeks.times(one.quantity))
        })
    }

    /// Value of all of it at each of many prices.
    pub(crate) fn values(&self, spots: &[f64]) -> Vec<f64> {
        let mut sum = vec![0.0; spots.len()];
        for one in &self.each {
            let values = one.priced.values(spots);
            for (sum, value) in sum.iter_mut().zip(values) {
                *sum += value * one.quantity as f64;
            }
        }
        sum
    }
}

/// What is held and has a market, by campaign.
pub(crate) fn all_held<'a>(state: &'a State, quoter: &mut Quoter) -> Vec<Held<'a>> {
    remember_held_legs(state, quoter);
    let quoter = &*quoter;
    let open = all_open(state);
    // What a leg is worth is a function of the moment, whatever thread works it out.
    let each = open.into_par_iter();
    each.filter_map(|c| held_of(state, quoter, c)).collect()
}

fn held_of<'a>(state: &'a State, quoter: &Quoter, campaign: &'a Campaign) -> Option<Held<'a>> {
    let (world, at) = (&state.world, state.clock.now);
    let underlying = world.underlying(&campaign.symbol)?;
    let spot = world.spot(&campaign.symbol, at)?;
    let carry = world
        .carry(&campaign.symbol, at)
        .unwrap_or(Carry::Yield(0.0));
    let held = state.account.holding_of(campaign.id);
    let one = |leg: &Leg| {
        let market = quoter.remembered_leg(world, &leg.instrument, at)?;
        let single = Holding::new([Leg {
            instrument: leg.instrument.clone(),
            quantity: 1,
        }]);
        let priced = Legs::at(&single, underlying, &[market], (&carry, spot), at).ok()?;
        Some(One {
            instrument: leg.instrument.clone(),
            quantity: leg.quantity,
            market,
            greeks: *priced.greeks(spot.to_f64()).ok()?.first()?,
            priced,
        })
    };
    Some(Held {
        campaign,
        underlying,
        spot: spot.to_f64(),
        each: held.legs().iter().filter_map(one).collect(),
    })
}

/// Net Greeks of what is held and has a market.
pub fn greeks_of(
    (world, at): (&World, Moment),
    quoter: &mut Quoter,
    held: &Holding,
    u: &Underlying,
) -> Option<PositionGreeks> {
    let (legs, markets): (Vec<Leg>, Vec<_>) = held
        .legs()
        .iter()
        .filter_map(|l| Some((l.clone(), quoter.leg_any(world, &l.instrument, at)?)))
        .unzip();
    let spot = world.spot(&u.symbol, at)?;
    let carry = world.carry(&u.symbol, at).unwrap_or(Carry::Yield(0.0));
    let legs = Legs::at(&Holding::new(legs), u, &markets, (&carry, spot), at).ok()?;
    let each = legs.greeks(spot.to_f64()).ok()?;
    Some(
        each.iter()
            .fold(PositionGreeks::default(), |sum, g| sum.plus(*g)),
    )
}

/// One sold option as it stands.
fn sold_leg(
    state: &State,
    quoter: &mut Quoter,
    contract: &Contract,
    spot: Price,
) -> Option<SoldLeg> {
    let listed = quoter.quote(&state.world, contract, state.clock.now)?;
    let price = listed.quote.mark();
    let inside = match contract.kind {
        Kind::Call => spot - contract.strike,
        Kind::Put => contract.strike - spot,
    };
    Some(SoldLeg {
        price,
        time_value: (price - inside.max(Price::ZERO)).max(Price::ZERO),
        delta: listed.delta,
    })
}

/// Deviations from the price to the nearest sold strike, below zero beyond it.
pub fn to_sold(held: &Holding, spot: f64, deviation: f64) -> Option<f64> {
    let away = held.options().filter(|(_, n)| *n < 0).map(|(c, _)| {
        let log = (c.strike.to_f64() / spot).ln();
        match c.kind {
            Kind::Call => log / deviation,
            Kind::Put => -log / deviation,
        }
    });
    away.min_by(f64::total_cmp).filter(|_| deviation > 0.0)
}

/// Deviations from the price to the nearest break-even, below zero where it stands in loss.
pub fn to_even(shape: &Shape, spot: f64, deviation: f64) -> Option<f64> {
    if deviation <= 0.0 {
        return None;
    }
    let zones = zones_of(shape);
    let here = zones.iter().find(|z| z.from <= spot && spot < z.to)?;
    let edges = zones.iter().skip(1).map(|z| z.from);
    let away = edges.map(|p| ((p / spot).ln() / deviation).abs());
    let nearest = away.min_by(f64::total_cmp)?;
    Some(if here.gain { nearest } else { -nearest })
}

/// When the first of what is held ends.
fn first_end(held: &Holding, u: &Underlying) -> Option<Moment> {
    held.options().map(|(c, _)| u.expiry_moment(c)).min()
}

/// Volatility from a moment to an end.
fn vol_until(world: &World, u: &Underlying, at: Moment, end: Moment) -> Option<f64> {
    let years = at.years_until(end);
    let variance = world.total_variance(&u.symbol, at, end)?;
    (years > 0.0).then(|| (variance / years).sqrt())
}

/// What is seen of a campaign at the state's moment; nothing where it holds nothing then.
pub fn campaign_seen(
    state: &State,
    quoter: &mut Quoter,
    sights: &mut Sights,
    campaign: &Campaign,
    needs: Needs,
) -> Option<CampaignSeen> {
    let (world, at) = (&state.world, state.clock.now);
    let u = world.underlying(&campaign.symbol)?;
    let of = sights.stood(campaign, at, u)?;
    let (stands, held) = (&of.stands, &of.stands.held);
    if held.is_empty() {
        return None;
    }
    let spot = sights.shared(world, &campaign.symbol, at).spot?;
    let price = spot.to_f64();
    let end = first_end(held, u).filter(|_| needs.vol);
    let now = end.and_then(|end| Some((sights.vol(world, u, at, end)?, end)));
    let deviation = now.map_or(0.0, |(vol, end)| vol * at.years_until(end).sqrt());
    let shape = needs.shape.then(|| shape(state, quoter, &of, u)).flatten();
    let limited = |e: &desk::Extent| e.limited();
    let sold = held.options().filter(|(_, n)| *n < 0 && needs.marks);
    let sold: Vec<SoldLeg> = sold
        .filter_map(|(c, _)| sold_leg(state, quoter, c, spot))
        .collect();
    let next = if needs.events {
        sights.next_dates(world, &u.symbol, at)
    } else {
        NextDates::default()
    };
    let vol_entry = if needs.vol {
        sights.vol_entry(world, campaign, u, stands.opened)
    } else {
        None
    };
    let rank = needs
        .rank
        .then(|| sights.rank(world, &u.symbol, at))
        .flatten();
    let greeks = needs
        .greeks
        .then(|| greeks_of((world, at), quoter, held, u))
        .flatten()
        .map(|g| {
            let mut book = BookGreeks::default();
            book.add(&g, world.beta(&u.symbol, at), price, index_price(state));
            SeenGreeks {
                lean: book.lean,
                delta: g.delta,
                theta: g.theta,
                vega: g.vega,
            }
        });
    Some(CampaignSeen {
        campaign: campaign.id,
        symbol: campaign.symbol.clone(),
        structure: of.structure,
        opened: stands.opened,
        expiry: held.options().map(|(c, _)| c.expiry).min(),
        profit: needs
            .marks
            .then(|| worth(state, quoter, held, u))
            .flatten()
            .map(|worth| stands.profit(worth)),
        entry: stands.entry,
        max_profit: shape.as_ref().and_then(|s| limited(&s.most)),
        max_loss: shape.as_ref().and_then(|s| limited(&s.least)),
        account: needs.account.then(|| account_value(state, quoter)),
        spot,
        to_sold: to_sold(held, price, deviation),
        to_even: shape.as_ref().and_then(|s| to_even(s, price, deviation)),
        sold,
        earnings: next.news,
        ex_date: next.ex,
        vol: now.map(|(vol, _)| vol),
        vol_entry,
        rank,
        greeks,
    })
}

impl Sights {
    /// A campaign as of a moment; what follows from its chapters is worked out once.
    fn stood(&mut self, campaign: &Campaign, at: Moment, u: &Underlying) -> Option<Arc<Stood>> {
        let count = campaign.chapters.partition_point(|c| c.at <= at);
        let kept = self.known.get(&campaign.id);
        if let Some((_, kept)) = kept.filter(|(known, _)| *known == count) {
            return Some(Arc::clone(kept));
        }
        let found = Arc::new(Stood::at(campaign, at, u)?);
        self.known.insert(campaign.id, (count, Arc::clone(&found)));
        Some(found)
    }

    fn next_dates(&mut self, world: &World, symbol: &str, at: Moment) -> NextDates {
        let key = (at.date(), at >= open_of(at.date()));
        if let Some((_, kept)) = self.next.get(symbol).filter(|(known, _)| *known == key) {
            return *kept;
        }
        let events = world.events(symbol, at, EVENTS_AHEAD);
        let first = |kind: EventKind| {
            let date = events.iter().find(|e| e.kind == kind)?.date;
            let sessions = sessions_to(at.date(), date);
            Some(NextDate { date, sessions })
        };
        let found = NextDates {
            news: first(EventKind::News),
            ex: first(EventKind::ExDividend),
        };
        self.next.insert(symbol.to_owned(), (key, found));
        found
    }

    /// Volatility of the first expiration of what was held at the opening, as it was then.
    fn vol_entry(
        &mut self,
        world: &World,
        campaign: &Campaign,
        u: &Underlying,
        opened: Moment,
    ) -> Option<f64> {
        *self
            .entries
            .entry((campaign.id, opened))
            .or_insert_with(|| {
                let then = campaign.standing(opened)?;
                vol_until(world, u, opened, first_end(&then.held, u)?)
            })
    }

    /// Forgets what was seen of the present moment: other quotes of it have come.
    pub(crate) fn forget_moment(&mut self) {
        self.shared.clear();
    }

    fn shared(&mut self, world: &World, symbol: &str, at: Moment) -> &mut Shared {
        let anew = || Shared {
            at,
            spot: world.spot(symbol, at),
            rank: None,
            vols: Vec::new(),
        };
        let kept = self.shared.entry(symbol.to_owned()).or_insert_with(anew);
        if kept.at != at {
            *kept = anew();
        }
        kept
    }

    /// Volatility of an underlying from a moment to an end.
    fn vol(&mut self, world: &World, u: &Underlying, at: Moment, end: Moment) -> Option<f64> {
        let shared = self.shared(world, &u.symbol, at);
        if let Some((_, vol)) = shared.vols.iter().find(|(known, _)| *known == end) {
            return *vol;
        }
        let vol = vol_until(world, u, at, end);
        shared.vols.push((end, vol));
        vol
    }

    /// Rank of the volatility of 30 days in its past year of closes.
    fn rank(&mut self, world: &World, symbol: &str, at: Moment) -> Option<f64> {
        if let Some(known) = self.shared(world, symbol, at).rank {
            return known;
        }
        let found = self.rank_of(world, symbol, at);
        self.shared(world, symbol, at).rank = Some(found);
        found
    }

    fn rank_of(&mut self, world: &World, symbol: &str, at: Moment) -> Option<f64> {
        let today = at.date();
        let kept = self.ranks.get(symbol).filter(|(day, _)| *day == today);
        if kept.is_none() {
            let past = past_vols(world, symbol, today);
            self.ranks.insert(symbol.to_owned(), (today, past));
        }
        let past = self.ranks.get(symbol).map_or(&[][..], |(_, past)| past);
        vol_rank(vol30(world, symbol, at)?, past).map(|s| s.rank)
    }
}

/// Capital at risk in a campaign: the most it can still lose where that has a limit, otherwise what
/// it ties up.
pub fn at_risk(state: &State, quoter: &mut Quoter, campaign: &Campaign) -> Money {
    let Some(u) = state.world.underlying(&campaign.symbol) else {
        return Money::ZERO;
    };
    let limited = Stood::at(campaign, state.clock.now, u)
        .and_then(|of| shape(state, quoter, &of, u))
        .and_then(|s| s.least.limited());
    limited.map_or_else(
        || alone(state, quoter, campaign.id),
        |l| (-l).max(Money::ZERO),
    )
}

/// Where the most capital is at risk.
pub(crate) fn largest(state: &State, risks: &[(&Campaign, Money)]) -> Largest {
    let most = |of: &dyn Fn(&Campaign) -> Option<String>| {
        let mut sums: Vec<(String, Money)> = Vec::new();
        for (campaign, risk) in risks {
            let Some(name) = of(campaign) else { continue };
            match sums.iter_mut().find(|(known, _)| *known == name) {
                Some((_, sum)) => *sum += *risk,
                None => sums.push((name, *risk)),
            }
        }
        // Of equal ones the first.
        sums.into_iter().rev().max_by_key(|(_, sum)| *sum)
    };
    let world = &state.world;
    let title = |c: &Campaign| {
        let u = world.underlying(&c.symbol)?;
        Some(format!("{} {}", c.symbol, state.account.title(c.id, u)?))
    };
    let expiry = |c: &Campaign| {
        let held = state.account.holding_of(c.id);
        let first = held.options().map(|(o, _)| o.expiry).min()?;
        Some(first.to_string())
    };
    Largest {
        trade: most(&title),
        symbol: most(&|c| Some(c.symbol.clone())),
        sector: most(&|c| world.sector(&c.symbol).map(str::to_owned)),
        expiration: most(&expiry),
    }
}

/// Greeks of the whole book.
pub fn book_greeks(state: &State, quoter: &mut Quoter) -> BookGreeks {
    let (mut out, index) = (BookGreeks::default(), index_price(state));
    for held in all_held(state, quoter) {
        let beta = state.world.beta(&held.underlying.symbol, state.clock.now);
        out.add(&held.greeks(), beta, held.spot, index);
    }
    out
}

/// Profit since a close before the session of now, money paid in left out, and the value then.
pub fn since_close(state: &State, value: Money, before: Date) -> Option<(Money, Money)> {
    let day = before.to_string();
    let (date, then) = state
        .days
        .iter()
        .rev()
        .find(|d| d.date < day)
        .map(|d| (&d.date, d.value))?;
    let close = close_of(date.parse().ok()?);
    let paid_in = state.account.paid_in_since(close);
    Some((value - then - paid_in, then))
}

/// The state as of an earlier moment, as far as the market is concerned. What is held is to be
/// taken from chapters.
pub fn at_moment(state: &State, at: Moment) -> State {
    State {
        clock: market::Clock {
            now: at,
            ..state.clock
        },
        memo: Arc::default(),
        slot_memo: Arc::default(),
        ..state.clone()
    }
}
