//! What a drill stands on: its looks, the expirations of its kind, the legs at a look, what is known of
//! volatility and of events then.

use std::collections::BTreeMap;
use std::sync::OnceLock;

use desk::calendar::{close_of, is_session, open_of, previous_session};
use desk::{
    Carry, Contract, Expiration, Instrument, Moment, Price, Quote, Underlying, UnderlyingKind,
};
use jiff::civil::Date;
use market::exchange::{LegQuote, Reliance};
use market::{ANNOUNCED, AnnouncedKind, Listed, Quoter, UnderlyingAt, World};
use plans::drill::{Drill, DrillEvent, LegIn, StrikeAt};

use engine::sight::{YEAR, vol30};

/// Why a drill cannot be played.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
pub enum DrillError {
    /// No such underlying.
    #[error("symbol {0:?} is not known; known: {1}")]
    Symbol(String, String),
    /// Something in it is wrong.
    #[error("{0}")]
    Wrong(String),
    /// Nothing is looked at.
    #[error("between {from} and {to} there is no look at {symbol}: {why}")]
    NoLooks {
        /// The first date of the drill.
        from: Date,
        /// The last date of the drill.
        to: Date,
        /// The symbol of the underlying that the drill is of.
        symbol: String,
        /// Why it cannot be played there.
        why: String,
    },
    /// What is held has no market where it must be closed.
    #[error("{what} has no market at {at}, where the cycle must be closed")]
    NoMarket {
        /// What the market cannot tell.
        what: String,
        /// The moment at which it cannot.
        at: Moment,
    },
    /// It was stopped.
    #[error("stopped")]
    Stopped,
}

/// What a drill stands on.
pub struct DrillGround<'a> {
    /// The market that it is played in.
    pub world: &'a World,
    /// The underlying that its legs are on.
    pub underlying: &'a Underlying,
    /// The drill that is played.
    pub drill: &'a Drill,
    /// Every look, ascending.
    pub looks: Vec<Moment>,
    /// Fees of a trade; none where the drill pays none.
    pub fees: desk::Fees,
    /// What the underlying pays.
    pub carry: Carry,
    /// Dated events, by date; those further ahead than anything is announced are among them.
    events: Vec<(DrillEvent, Date)>,
    /// Volatility of 30 days at the close of each session from a year before the first look on.
    vols: OnceLock<Vec<(Date, f64)>>,
}

/// A leg as it was found.
pub(super) type Built = Vec<(Instrument, i64)>;

impl<'a> DrillGround<'a> {
    /// The ground of a drill as far as `until`: what lies behind it is not looked at.
    ///
    /// # Errors
    /// The drill is wrong, what it is on is not known, or there is no look.
    pub fn new(world: &'a World, drill: &'a Drill, until: Moment) -> Result<Self, DrillError> {
        drill.check().map_err(DrillError::Wrong)?;
        let symbol = &drill.symbol;
        let underlying = DrillGround::underlying(world, drill, until)?;
        let outright = |l: &plans::drill::DrillLeg| l.what == LegIn::Underlying;
        if underlying.kind == UnderlyingKind::Index && drill.enter.legs.iter().any(outright) {
            return Err(DrillError::Wrong(format!(
                "[enter] legs: {symbol} is an index, which nobody can buy; take options alone"
            )));
        }
        let no_looks = |why: &str| DrillError::NoLooks {
            from: drill.from,
            to: drill.to,
            symbol: symbol.clone(),
            why: why.to_owned(),
        };
        let (first, last) = (world.first(), world.last());
        if !world.is_recorded(symbol) && (drill.from < first || drill.to > last) {
            return Err(no_looks(&format!("the world knows {first} to {last}")));
        }
        let ends = underlying.last_session.unwrap_or(Date::MAX);
        let minutes = drill.minutes();
        let days = std::iter::successors(Some(drill.from), |d| d.tomorrow().ok());
        let days = days
            .take_while(|d| *d <= drill.to && *d <= ends && *d <= until.date())
            .filter(|d| is_session(*d));
        let looks: Vec<Moment> = days
            .flat_map(|d| minutes.iter().map(move |m| Moment::at(d, 0, *m)))
            .filter(|at| *at <= until && world.knows_chain(symbol, *at))
            .collect();
        if looks.is_empty() {
            return Err(no_looks(if drill.from > until.date() {
                "it lies ahead"
            } else {
                "no session of it has quotes"
            }));
        }
        Ok(DrillGround::on(world, underlying, drill, looks))
    }

    fn underlying(
        world: &'a World,
        drill: &Drill,
        until: Moment,
    ) -> Result<&'a Underlying, DrillError> {
        world.underlying(&drill.symbol).ok_or_else(|| {
            let known = world.underlyings(until).map(|u| u.symbol.as_str());
            let known: Vec<&str> = known.collect();
            DrillError::Symbol(drill.symbol.clone(), known.join(", "))
        })
    }

    /// The same from a moment on, with a last look at another one: what is open there is marked, and
    /// cycles are entered at every look before it.
    pub fn open_ended(mut self, since: Moment, now: Moment) -> Self {
        self.looks.retain(|at| *at > since);
        if self.looks.last().is_none_or(|last| *last < now) {
            self.looks.push(now);
        } else {
            self.looks.push(now.plus_millis(1));
        }
        self
    }

    /// The ground of looks of one's own, ascending and at least one.
    pub(super) fn on(
        world: &'a World,
        underlying: &'a Underlying,
        drill: &'a Drill,
        looks: Vec<Moment>,
    ) -> Self {
        let symbol = &drill.symbol;
        let last = looks.last().copied().unwrap_or_default();
        let events = world.announced(symbol, last).into_iter().map(|e| {
            let kind = match e.kind {
                AnnouncedKind::Earnings => DrillEvent::Earnings,
                AnnouncedKind::Decision => DrillEvent::Decision,
                AnnouncedKind::ExDividend => DrillEvent::ExDividend,
            };
            (kind, e.date)
        });
        DrillGround {
            world,
            underlying,
            drill,
            fees: if drill.fees {
                world.fees_of(symbol)
            } else {
                desk::Fees::default()
            },
            carry: world.carry(symbol, last).unwrap_or(Carry::Yield(0.0)),
            events: events.collect(),
            vols: OnceLock::new(),
            looks,
        }
    }

    /// The underlying at a moment.
    pub(super) fn seen(&self, at: Moment) -> UnderlyingAt<'a> {
        UnderlyingAt {
            world: self.world,
            underlying: self.underlying,
            at,
        }
    }

    /// Price of the underlying.
    pub(super) fn spot(&self, at: Moment) -> Price {
        self.world.spot(&self.drill.symbol, at).unwrap_or_default()
    }

    /// Listed expirations of the drill's kind, ascending.
    pub(super) fn expirations(&self, at: Moment) -> Vec<Expiration> {
        let mut all = self.seen(at).expirations();
        all.retain(|e| self.drill.enter.kind.has(self.underlying, e));
        all.sort_by_key(|e| (e.date, e.moment()));
        all
    }

    /// What a drill trades one thing at: its quote where somebody can be relied on to trade in it, of the
    /// underlying its price on both sides. What nobody bids for is sold at nothing.
    pub(super) fn tradable(
        &self,
        quoter: &mut Quoter,
        instrument: &Instrument,
        at: Moment,
    ) -> Option<Quote> {
        let market = Reliance::default().market(self.world, quoter, instrument, at)?;
        match (market, instrument) {
            (LegQuote::Marked(..), _) => None,
            (LegQuote::Tradable(quote), Instrument::Option(_)) => Some(quote),
            (LegQuote::Tradable(_), Instrument::Underlying(symbol)) => {
                Some(Quote::at(self.world.spot(symbol, at)?))
            }
        }
    }

    /// The market of one thing; of the underlying its price on both sides.
    pub(super) fn market(
        &self,
        quoter: &mut Quoter,
        instrument: &Instrument,
        at: Moment,
    ) -> Option<Listed> {
        match instrument {
            Instrument::Option(c) => quoter.quote(self.world, c, at),
            Instrument::Underlying(symbol) => {
                let spot = self.world.spot(symbol, at)?;
                Some(Listed {
                    quote: Quote::at(spot),
                    last: None,
                    theoretical: spot.to_f64(),
                    delta: 1.0,
                    implied: None,
                    doubt: None,
                })
            }
        }
    }

    /// Rank of the volatility of 30 days among the closes of the past 252 sessions, that of now
    /// included.
    pub(super) fn rank(&self, at: Moment) -> Option<f64> {
        let (world, symbol) = (self.world, &self.drill.symbol);
        let all = self.vols.get_or_init(|| {
            let first = self.looks.first().map_or(at.date(), |at| at.date());
            let last = self.looks.last().map_or(at.date(), |at| at.date());
            let mut day = first;
            for _ in 0..YEAR {
                day = previous_session(day);
            }
            let days = std::iter::successors(Some(day), |d| d.tomorrow().ok());
            let days = days.take_while(|d| *d < last).filter(|d| is_session(*d));
            days.map(close_of)
                .filter(|at| world.knows_chain(symbol, *at))
                .filter_map(|at| Some((at.date(), vol30(world, symbol, at)?)))
                .collect()
        });
        let end = all.partition_point(|(d, _)| *d < at.date());
        let mut first = at.date();
        for _ in 0..YEAR {
            first = previous_session(first);
        }
        let start = all.partition_point(|(d, _)| *d < first);
        let past: Vec<f64> = all[start..end].iter().map(|(_, v)| *v).collect();
        desk::vol_rank(vol30(world, symbol, at)?, &past).map(|s| s.rank)
    }

    /// Dated events that are announced at a moment.
    pub(super) fn events(&self, at: Moment) -> &[(DrillEvent, Date)] {
        let told = |e: &(DrillEvent, Date)| at.days_until(e.1) <= ANNOUNCED;
        &self.events[..self.events.partition_point(told)]
    }

    /// The legs of the drill at a look, for a cycle in an expiration; nothing where one is not listed,
    /// or two meet.
    pub(super) fn build(
        &self,
        quoter: &mut Quoter,
        e: &Expiration,
        at: Moment,
        size: i64,
    ) -> Option<Built> {
        let legs = &self.drill.enter.legs;
        let seen = self.seen(at);
        let spot = self.spot(at);
        let mut chains: BTreeMap<(Date, bool), Vec<(Contract, Listed)>> = BTreeMap::new();
        let mut found: Vec<Option<Instrument>> = vec![None; legs.len()];
        // A strike that hangs on another leg is found after it.
        for _ in 0..legs.len() {
            for (i, leg) in legs.iter().enumerate() {
                if found[i].is_some() {
                    continue;
                }
                let LegIn::Option {
                    kind,
                    strike,
                    later,
                } = leg.what
                else {
                    found[i] = Some(Instrument::Underlying(self.drill.symbol.clone()));
                    continue;
                };
                if let StrikeAt::Leg { leg, .. } = strike
                    && found.get(leg - 1)?.is_none()
                {
                    continue;
                }
                let e = match later {
                    None => e.clone(),
                    Some(days) => {
                        let day = desk::day_number(e.date);
                        let far = |x: &Expiration| desk::day_number(x.date) - day >= days;
                        self.expirations(at).into_iter().find(far)?
                    }
                };
                let chain = chains
                    .entry((e.date, e.am_settled))
                    .or_insert_with(|| quoter.chain(self.world, self.underlying, &e, at));
                let side = chain.iter().filter(|(c, _)| c.kind == kind);
                let nearest = |target: f64| {
                    let away = |(c, _): &&(Contract, Listed)| (c.strike.to_f64() - target).abs();
                    side.clone()
                        .min_by(|a, b| away(a).total_cmp(&away(b)).then(a.0.cmp(&b.0)))
                };
                let row = match strike {
                    StrikeAt::Delta(x) => {
                        let away =
                            |(_, l): &&(Contract, Listed)| (l.delta.abs() - x.to_f64()).abs();
                        side.clone()
                            .min_by(|a, b| away(a).total_cmp(&away(b)).then(a.0.cmp(&b.0)))
                    }
                    StrikeAt::Sigma(x) => {
                        let carried = seen.carried(&e)?;
                        let vol = seen.at_the_money(&e, &carried)?;
                        let away = (x.to_f64() * vol * carried.years.sqrt()).exp();
                        nearest(spot.to_f64() * away)
                    }
                    StrikeAt::Points(p) => nearest_exact(side.clone(), scaled(spot + p)),
                    StrikeAt::Percent(x) => {
                        let hundred = 100 * i128::from(Price::SCALE);
                        let target = i128::from(spot.raw()) * (hundred + i128::from(x.raw()));
                        nearest_exact(side.clone(), target)
                    }
                    StrikeAt::Leg { leg, points } => {
                        let base = found.get(leg - 1)?.as_ref()?.option()?.strike;
                        nearest_exact(side.clone(), scaled(base + points))
                    }
                };
                found[i] = Some(Instrument::Option(row?.0.clone()));
            }
        }
        let found = found.into_iter().collect::<Option<Vec<Instrument>>>()?;
        let meets = |(i, one): (usize, &Instrument)| found[..i].contains(one);
        if found.iter().enumerate().any(meets) {
            return None;
        }
        let quantities = legs.iter().map(|l| l.quantity * size);
        Some(found.into_iter().zip(quantities).collect())
    }

    /// Openings and closes from one moment (excluded) to another (included).
    pub(super) fn stops(&self, after: Moment, to: Moment) -> impl Iterator<Item = Moment> {
        let days = std::iter::successors(Some(after.date()), |d| d.tomorrow().ok());
        days.take_while(move |d| *d <= to.date())
            .filter(|d| is_session(*d))
            .flat_map(|d| [open_of(d), close_of(d)])
            .filter(move |at| *at > after && *at <= to)
    }
}

/// A price in the scale in which a percentage of one is exact.
fn scaled(p: Price) -> i128 {
    i128::from(p.raw()) * 100 * i128::from(Price::SCALE)
}

/// The strike nearest to a target, ties to the lower.
fn nearest_exact<'c>(
    side: impl Iterator<Item = &'c (Contract, Listed)>,
    target: i128,
) -> Option<&'c (Contract, Listed)> {
    side.min_by_key(|(c, _)| ((scaled(c.strike) - target).abs(), c.strike))
}
