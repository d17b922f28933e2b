//! The simulated source: prices, variances and events as a function of seed and moment.
//!
//! Daily paths come from `series`. Inside a session a Brownian bridge (dyadic midpoints, Glasserman,
//! *Monte Carlo Methods*, 2004, §3.1) joins open to close.
//!
//! Implied total variance of an expiration T away is premium × ∫ expected variance (mean-reverting) plus
//! the priced variance of results before it; the smile around it is SSVI, free of static arbitrage by
//! construction.
//!
//! Variance within a session is worked out from the path so far and never from where the session ends:
//! its own shocks are bridged as the price is, so that what is quoted at noon says nothing about the
//! afternoon. The past up to the anchor day is drawn as a whole, so that levels pass through their anchors
//! and betas come out near the world's; from the anchor on no session depends on a later one.

use std::sync::{Arc, Mutex, PoisonError};

use desk::calendar::{close_of, open_of};
use desk::{Carry, Expiration, Fees, Moment, Price, Underlying, UnderlyingKind, day_number};
use jiff::civil::Date;
use libm::{exp, expm1};
use quant::Ssvi;

use crate::ladder::ladder;
use crate::market_data::Bar;
use crate::noise::{Noise, Stream, name_key};
use crate::series::{MARKET_VOL, NIGHT, Series, Variances, YEAR, drift};
use crate::source::{Announced, AnnouncedKind, Print, PrintOf, Rating, Slice, Source};
use crate::specs::Spec;

/// Yearly speed at which variance returns to its mean.
const REVERSION: f64 = 4.0;

/// What all simulated underlyings share: the sessions and the market factor.
pub(crate) struct Shared {
    pub noise: Noise,
    pub sessions: Vec<Date>,
    /// Log move of the market factor over each session, and its variance.
    pub market_move: Vec<f64>,
    pub market: Variances,
}

/// One simulated underlying: its data, and its path.
pub(crate) struct Simulated {
    pub spec: Spec,
    shared: Arc<Shared>,
    smile: Ssvi,
    carry: Carry,
    series: Arc<Series>,
    /// Distance in log price from its series: of a future's month.
    offset: f64,
    /// Variance at the moment that was asked for last: all expirations ask for the same. Only a memory.
    last: Mutex<Option<(Moment, f64)>>,
}

/// Where a moment lies on the session grid.
#[derive(Clone, Copy)]
struct Position {
    /// Session that is running or was the last to close (or, before the first, the first).
    session: usize,
    /// Part of the session that has passed, 0 to 1.
    part: f64,
}

impl Shared {
    fn position(&self, at: Moment) -> Position {
        let today = at.date();
        let next = self.sessions.partition_point(|d| *d <= today);
        let session = next.saturating_sub(1);
        let day = self.sessions[session];
        if day == today && at < open_of(day) {
            return Position {
                session: session.saturating_sub(1),
                part: if session == 0 { 0.0 } else { 1.0 },
            };
        }
        let length = (close_of(day).millis() - open_of(day).millis()) as f64;
        let part = (at.millis() - open_of(day).millis()) as f64 / length;
        Position {
            session,
            part: if day == today {
                part.clamp(0.0, 1.0)
            } else {
                1.0
            },
        }
    }

    /// Sessions from one date to another, both included.
    fn sessions_between(&self, from: Date, to: Date) -> &[Date] {
        let start = self.sessions.partition_point(|d| *d < from);
        &self.sessions[start..self.sessions.partition_point(|d| *d <= to).max(start)]
    }

    /// Brownian bridge from 0 to `end` over one session, at `part` of it.
    fn bridge(&self, (stream, key): (Stream, u64), p: Position, end: f64, sd: f64) -> f64 {
        // Prices move every second, variance by the minute.
        let levels = match stream {
            Stream::VarianceBridge => 9,
            _ => 16,
        };
        let (day, part) = (p.session as i64, p.part);
        if part >= 1.0 {
            return end;
        }
        let (mut left, mut right) = (0.0, end);
        let (mut start, mut width) = (0.0, 1.0_f64);
        let mut node = 1_i64;
        for _ in 0..levels {
            let middle = start + width / 2.0;
            let value = 0.5 * (left + right)
                + 0.5 * width.sqrt() * sd * self.noise.normal(stream, key, day << 20 | node);
            width /= 2.0;
            if part < middle {
                right = value;
                node *= 2;
            } else {
                left = value;
                start = middle;
                node = 2 * node + 1;
            }
        }
        left + (right - left) * ((part - start) / width)
    }

    /// Move of the market factor over the part of the session that has passed.
    fn market_so_far(&self, p: Position) -> f64 {
        let variance = self.market.of_session[p.session];
        let sd = (variance * (1.0 - NIGHT) / YEAR).sqrt();
        self.bridge((Stream::Bridge, 0), p, self.market_move[p.session], sd)
    }

    /// Variance a year as it has become by a moment of a session: `shock` is how far the session's
    /// standard normal has come, night included where it counts.
    fn variance_so_far(&self, of: &Variances, p: Position, shock: f64) -> f64 {
        let other = of.other(self.noise, p.session);
        let other = self.bridge((Stream::VarianceBridge, of.key), p, other, 1.0);
        of.after(p.session, p.part, shock, other)
    }

    /// Variance a year of the market factor at a place, to which it has moved so far.
    fn market_variance(&self, p: Position, moved: f64) -> f64 {
        let variance = self.market.of_session[p.session];
        let share = 1.0 - NIGHT;
        let sd = (variance * share / YEAR).sqrt();
        let so_far = moved - p.part * drift(variance) * share;
        let night = self.noise.normal(Stream::Overnight, 0, p.session as i64);
        let shock = NIGHT.sqrt() * night + share.sqrt() * so_far / sd;
        self.variance_so_far(&self.market, p, shock)
    }
}

impl Simulated {
    /// A path of its series, at a distance from it; nothing where its smile is none.
    pub(crate) fn new(
        spec: Spec,
        offset: f64,
        series: &Arc<Series>,
        shared: &Arc<Shared>,
    ) -> Option<Simulated> {
        let smile = Ssvi::new(spec.rho, spec.eta, 0.5).ok()?;
        let carry = match spec.underlying.kind {
            UnderlyingKind::Shares => Carry::Dividends(
                series
                    .dividends
                    .iter()
                    .map(|(ex, cash)| (open_of(*ex), *cash))
                    .collect(),
            ),
            UnderlyingKind::Index => Carry::Yield(spec.index_yield),
            UnderlyingKind::Future => Carry::Future,
        };
        Some(Simulated {
            spec,
            shared: Arc::clone(shared),
            smile,
            carry,
            series: Arc::clone(series),
            offset,
            last: Mutex::new(None),
        })
    }

    fn log_price(&self, p: Position) -> f64 {
        let series = &self.series;
        if p.part >= 1.0 {
            return series.close[p.session];
        }
        let market = self.shared.market_so_far(p);
        series.open[p.session] + self.spec.underlying.beta * market + self.own_so_far(p)
    }

    /// Its own move, beside the market's, over the part of the session that has passed.
    fn own_so_far(&self, p: Position) -> f64 {
        let series = &self.series;
        let Some(own) = &series.own else { return 0.0 };
        let sd = (own.of_session[p.session] * (1.0 - NIGHT) / YEAR).sqrt();
        let end = series.own_move[p.session];
        self.shared.bridge((Stream::Bridge, series.key), p, end, sd)
    }

    /// Its variance a year at a moment.
    fn variance(&self, at: Moment) -> f64 {
        let known = *self.last.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some((_, variance)) = known.filter(|(moment, _)| *moment == at) {
            return variance;
        }
        let p = self.shared.position(at);
        let (beta, moved) = (self.spec.underlying.beta, self.shared.market_so_far(p));
        let market = self.shared.market_variance(p, moved);
        let variance = beta * beta * market + self.own_variance(p, moved);
        *self.last.lock().unwrap_or_else(PoisonError::into_inner) = Some((at, variance));
        variance
    }

    /// Its own variance a year at a place, beside the market's, which has moved so far.
    fn own_variance(&self, p: Position, market: f64) -> f64 {
        let Some(own) = &self.series.own else {
            return 0.0;
        };
        let session = own.of_session[p.session] * (1.0 - NIGHT) / YEAR;
        // What the own moves share with the market by chance was taken out of them.
        let shared = self.series.chance * market;
        let moved = self.own_so_far(p) + shared + p.part * session / 2.0;
        self.shared.variance_so_far(own, p, moved / session.sqrt())
    }

    /// A log price of the series as a price of this underlying, on its own tick.
    fn price(&self, log: f64) -> Price {
        let tick = self.spec.underlying.own_tick;
        tick * (exp(log + self.offset) / tick.to_f64()).round() as i64
    }

    /// Lowest and highest close from a day (by its number) to the last session before `at`; the
    /// last close alone if none lies in between.
    pub(crate) fn close_range(&self, at: Moment, from_day: i64) -> (f64, f64) {
        let sessions = &self.shared.sessions;
        let end = sessions.partition_point(|d| *d < at.date()).max(1);
        let start = sessions
            .partition_point(|d| day_number(*d) < from_day)
            .min(end - 1);
        let closes = self.series.close[start..end].iter();
        let closes = closes.map(|c| exp(*c + self.offset));
        closes.fold((f64::INFINITY, 0.0_f64), |(a, b), c| (a.min(c), b.max(c)))
    }

    /// A bar. Open and close are the path's own; high and low are taken over the prints at each minute, so
    /// a bar never promises a price that a minute of the world does not have. Volume follows the size of
    /// the move.
    fn bar(&self, day: Date, until: Moment) -> Option<Bar> {
        let end = close_of(day).min(until);
        let minutes = (end.millis() - open_of(day).millis()).div_euclid(60_000);
        if minutes < 0 {
            return None;
        }
        let print = |minute: i64| self.spot(open_of(day).plus_millis(minute * 60_000));
        let (open, close) = (print(0)?, self.spot(end)?);
        let (mut high, mut low) = (open.max(close), open.min(close));
        for minute in 1..=minutes {
            let price = print(minute)?;
            (high, low) = (high.max(price), low.min(price));
        }
        let key = name_key(&self.spec.underlying.symbol);
        let drawn = self
            .shared
            .noise
            .normal(Stream::Volume, key, day_number(day));
        let range = (high - low).to_f64() / open.to_f64();
        let part = minutes as f64 / 390.0;
        let busy = 1.2e6 * self.spec.activity * part;
        Some(Bar {
            date: day,
            open,
            high,
            low,
            close,
            volume: (busy * exp(0.35 * drawn) * (0.6 + 30.0 * range)) as i64,
        })
    }
}

impl Source for Simulated {
    fn underlying(&self) -> &Underlying {
        &self.spec.underlying
    }

    fn is_listed(&self, on: Date) -> bool {
        self.spec.listed.is_none_or(|from| from <= on)
            && self.spec.underlying.last_session.is_none_or(|to| on <= to)
    }

    fn trades(&self, _: Moment) -> bool {
        // Its hours are the exchange's.
        true
    }

    fn spot(&self, at: Moment) -> Option<Price> {
        Some(self.price(self.log_price(self.shared.position(at))))
    }

    fn print(&self, of: PrintOf, day: Date, at: Moment) -> Option<Print> {
        let printed = match of {
            PrintOf::Opening => open_of(day),
            PrintOf::Close => close_of(day),
        };
        if printed > at {
            return None;
        }
        let price = self.spot(printed)?;
        Some(Print { price, at: printed })
    }

    fn corrected(&self, _: PrintOf, _: Date, _: Moment) -> Option<(Print, Print)> {
        // Its prints are made once.
        None
    }

    fn previous_close(&self, at: Moment) -> Option<Price> {
        let index = self.shared.position(at).session.saturating_sub(1);
        Some(self.price(self.series.close[index]))
    }

    fn closes(&self, at: Moment, count: usize) -> Vec<(Date, f64)> {
        let sessions = &self.shared.sessions;
        let end = sessions.partition_point(|d| *d < at.date());
        let span = end.saturating_sub(count)..end;
        let closes = self.series.close[span.clone()].iter();
        let closes = closes.map(|c| exp(*c + self.offset));
        sessions[span].iter().copied().zip(closes).collect()
    }

    fn bars(&self, from: Date, until: Moment) -> Vec<Bar> {
        let sessions = self.shared.sessions_between(from, until.date());
        sessions
            .iter()
            .filter_map(|day| self.bar(*day, until))
            .collect()
    }

    fn carry(&self, _: Moment) -> Carry {
        // Dividends are known for good: they follow from the product, not from what happens to it.
        self.carry.clone()
    }

    fn announced(&self, at: Moment) -> Vec<Announced> {
        let (kind, what) = match self.spec.event {
            Some(e) if e.is_decision() => (AnnouncedKind::Decision, e.what),
            Some(e) => (AnnouncedKind::Earnings, e.what),
            None => (AnnouncedKind::Earnings, ""),
        };
        let news = self.series.events.iter().map(|(date, known)| Announced {
            date: *date,
            kind,
            what: what.into(),
            cash: None,
            known: *known,
            told: None,
        });
        let dividends = self.series.dividends.iter().map(|(ex, cash)| Announced {
            date: *ex,
            kind: AnnouncedKind::ExDividend,
            what: String::new(),
            cash: Some(*cash),
            known: open_of(*ex),
            told: None,
        });
        let all = news.chain(dividends).filter(|e| e.is_told(at));
        let mut all: Vec<Announced> = all
            .map(|e| Announced {
                what: e.words(),
                ..e
            })
            .collect();
        all.sort_by_key(|e| (e.date, e.known));
        all
    }

    fn total_variance(&self, at: Moment, until: Moment, _: Rating<'_>) -> Option<f64> {
        let years = at.years_until(until);
        if years <= 0.0 {
            return Some(0.0);
        }
        let (now, beta) = (self.variance(at), self.spec.underlying.beta);
        let mean = (beta * MARKET_VOL).powi(2) + self.spec.own_vol.powi(2);
        let expected = mean * years + (now - mean) * -expm1(-REVERSION * years) / REVERSION;
        let jumps = self.spec.event.map_or(0.0, |e| {
            let events = self.series.events.iter();
            let ahead = events.filter(|(_, known)| at < *known && until > *known);
            ahead.count() as f64 * e.jump * e.jump * e.priced
        });
        Some(self.spec.premium * expected + jumps)
    }

    fn slice(&self, at: Moment, expiry: Moment, spot: f64, rate: f64) -> Option<Slice> {
        let years = at.years_until(expiry).max(1.0 / 525_600.0);
        let theta = self.total_variance(at, expiry, &|_, _| rate)?.max(1e-12);
        let carry_yield = self.carry.yield_until(at, expiry, rate, spot);
        Some(Slice {
            smile: self.smile.slice(theta),
            forward: spot * exp((rate - carry_yield) * years),
            years,
            rate,
            carry_yield,
        })
    }

    fn expirations(&self, at: Moment) -> Vec<Expiration> {
        self.spec.underlying.expirations(at)
    }

    fn strikes(&self, of: &Expiration, at: Moment) -> Vec<Price> {
        ladder(&self.spec, |day| self.close_range(at, day), of, at)
    }

    fn sector(&self) -> Option<&str> {
        self.spec.sector.map(|s| s.0)
    }

    fn is_basket(&self) -> bool {
        self.spec.basket
    }

    fn fees(&self) -> Option<Fees> {
        None
    }

    fn age(&self, _: Moment) -> Option<i64> {
        None
    }

    fn knows_chain(&self, _: Moment) -> bool {
        true
    }

    fn lacks_dividends(&self) -> bool {
        false
    }

    fn given_beta(&self) -> Option<f64> {
        Some(self.spec.underlying.beta)
    }

    fn is_bought(&self) -> bool {
        self.spec.underlying.kind != UnderlyingKind::Index
    }
}

#[cfg(test)]
mod tests {
    use desk::calendar::next_session;

    use super::*;
    use crate::quotes::Quoter;
    use crate::specs::{DEMO_DAY, FIRST};
    use crate::world::World;

    const SEED: u64 = 20_310_311;

    /// With the draws of all later sessions changed, every price, quote, rank's past and event of a session
    /// stays the same, and the next session is another.
    #[test]
    fn nothing_of_a_session_tells_of_the_ones_behind_it() {
        let mut day = DEMO_DAY;
        for _ in 0..7 {
            day = next_session(day);
        }
        let world = World::new(SEED);
        let session = world.simulated("WXMR").unwrap().shared.sessions.clone();
        let place = session.iter().position(|d| *d == day).unwrap();
        let other = World::drawn(Noise::new(SEED).otherwise_from(place + 1), SEED);
        let shown = |world: &World, symbol: &str, at: Moment| {
            let u = world.underlying(symbol).unwrap();
            let e = world.expirations(symbol, at).unwrap()[2].clone();
            let chain = Quoter::new().whole_chain(world, u, &e, at);
            (
                world.spot(symbol, at),
                world.total_variance(symbol, at, e.moment()),
                world.closes(symbol, at, 252),
                world.announced(symbol, at),
                chain,
            )
        };
        for symbol in ["WXMR", "NMOU", "TLVN", "TNYBM1"] {
            for minutes in [-30, 0, 1, 75, 210, 389, 390, 600] {
                let at = open_of(day).plus_millis(minutes * 60_000);
                assert_eq!(
                    shown(&world, symbol, at),
                    shown(&other, symbol, at),
                    "{symbol} at {at}"
                );
            }
            let tomorrow = open_of(next_session(day)).plus_millis(3_600_000);
            assert_ne!(
                world.spot(symbol, tomorrow),
                other.spot(symbol, tomorrow),
                "{symbol}"
            );
        }
    }

    /// Correlation of two lists.
    fn correlation(x: &[f64], y: &[f64]) -> f64 {
        let n = x.len() as f64;
        let (mx, my) = (x.iter().sum::<f64>() / n, y.iter().sum::<f64>() / n);
        let sum = |f: &dyn Fn(f64, f64) -> f64| -> f64 {
            x.iter().zip(y).map(|(x, y)| f(x - mx, y - my)).sum()
        };
        sum(&|x, y| x * y) / (sum(&|x, _| x * x) * sum(&|_, y| y * y)).sqrt()
    }

    /// Within a session variance follows the price as far as it has come: its change until noon goes with
    /// the morning and says nothing of the afternoon. Over a thousand sessions of three worlds a
    /// correlation of nothing lies within 0.06 of it (three deviations).
    #[test]
    fn variance_at_noon_knows_the_morning_and_not_the_afternoon() {
        let (mut change, mut morning, mut afternoon) = (Vec::new(), Vec::new(), Vec::new());
        for seed in [1, 2, 3] {
            let world = World::new(seed);
            let mut day = next_session(FIRST);
            for _ in 0..900 {
                let at = |minutes: i64| open_of(day).plus_millis(minutes * 60_000);
                let (open, noon, close) = (at(0), at(150), close_of(day));
                let level = |at: Moment| world.spot("WXMR", at).unwrap().to_f64();
                let end = close_of(day).plus_millis(20 * 86_400_000);
                let vol = |at: Moment| {
                    let years = at.years_until(end);
                    (world.total_variance("WXMR", at, end).unwrap() / years).ln()
                };
                change.push(vol(noon) - vol(open));
                morning.push((level(noon) / level(open)).ln());
                afternoon.push((level(close) / level(noon)).ln());
                day = next_session(day);
            }
        }
        assert!(correlation(&change, &morning) < -0.4);
        let told = correlation(&change, &afternoon);
        assert!(told.abs() < 0.06, "{told}");
    }

    /// The variance of a session's close is that with which the next one begins its night.
    #[test]
    fn variance_goes_on_where_it_was() {
        let world = World::new(SEED);
        let end = close_of(DEMO_DAY).plus_millis(40 * 86_400_000);
        let vol = |at: Moment| world.total_variance("NMOU", at, end).unwrap() / at.years_until(end);
        let close = close_of(DEMO_DAY);
        let (last, shut) = (vol(close.plus_millis(-1)), vol(close));
        assert!((last / shut - 1.0).abs() < 1e-4, "{last} {shut}");
    }
}
