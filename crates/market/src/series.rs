//! Daily paths: what a name's price and variance do from session to session.
//!
//! Log prices follow a market factor with stochastic variance and leverage (a fall raises
//! volatility) plus each name's own noise and jumps on result days. The whole path is built once
//! from the seed, outward from the anchor day.
//!
//! A share goes ex-dividend at an opening: its price falls by the cash amount, which is known
//! ahead; an index loses its yield day by day. The months of a future share one path, each at its
//! own distance.

use desk::calendar::{next_session, open_of};
use desk::{Moment, Price};
use jiff::ToSpan;
use jiff::civil::Date;
use libm::{exp, log};

use crate::noise::{Noise, Stream, name_key};
use crate::specs::{LAST, Spec};

/// Volatility of the market factor at the anchor, and in the long run.
pub(crate) const MARKET_VOL: f64 = 0.145;
/// Sessions in a year.
pub(crate) const YEAR: f64 = 252.0;
/// Share of a day's variance that falls on the night before it.
pub(crate) const NIGHT: f64 = 0.25;

/// A path of prices; the months of a future share one.
pub(crate) struct Series {
    pub key: u64,
    /// Log price at open and close of each session.
    pub open: Vec<f64>,
    pub close: Vec<f64>,
    /// Own intraday move, joined by the bridge; the market's part is added with beta.
    pub own_move: Vec<f64>,
    /// What the own moves shared with the market by chance, and is taken out of them: a slope.
    pub chance: f64,
    /// Own variance; nothing where the path is the market's alone.
    pub own: Option<Variances>,
    /// Event dates, ascending, each with the opening at which the market knows the outcome.
    pub events: Vec<(Date, Moment)>,
    /// Ex-dates, ascending, and the cash paid on a share.
    pub dividends: Vec<(Date, Price)>,
}

/// The market factor, as paths are built upon it.
pub(crate) struct Market<'a> {
    noise: Noise,
    sessions: &'a [Date],
    /// Log moves of each night, and of the session after it.
    pub night: Vec<f64>,
    pub day: Vec<f64>,
    /// Its variance a year at each close, and its events.
    pub variance: Variances,
    /// The session on which every path passes through its anchor.
    anchor: usize,
}

impl Market<'_> {
    pub(crate) fn build(noise: Noise, sessions: &[Date], anchor: usize) -> Market<'_> {
        let shocks: Vec<(f64, f64)> = (0..sessions.len() as i64)
            .map(|i| {
                (
                    noise.normal(Stream::Overnight, 0, i),
                    noise.normal(Stream::Intraday, 0, i),
                )
            })
            .collect();
        let day: Vec<f64> = shocks
            .iter()
            .map(|(night, day)| NIGHT.sqrt() * night + (1.0 - NIGHT).sqrt() * day)
            .collect();
        let variance = Variances::new(noise, (0, MARKET_VOL), &day, -0.75, anchor);
        let of = &variance.of_session;
        let night: Vec<f64> = (0..sessions.len())
            .map(|i| drift(of[i]) * NIGHT + (of[i] * NIGHT / YEAR).sqrt() * shocks[i].0)
            .collect();
        let moved: Vec<f64> = (0..sessions.len())
            .map(|i| {
                drift(of[i]) * (1.0 - NIGHT) + (of[i] * (1.0 - NIGHT) / YEAR).sqrt() * shocks[i].1
            })
            .collect();
        Market {
            noise,
            sessions,
            night,
            day: moved,
            variance,
            anchor,
        }
    }
}

impl Series {
    pub(crate) fn build(spec: &Spec, market: &Market<'_>) -> Series {
        let (noise, sessions, anchor) = (market.noise, market.sessions, market.anchor);
        let (market_night, market_move) = (&market.night, &market.day);
        let key = name_key(spec.key);
        let drawn = |key: u64, i: i64| {
            (
                noise.normal(Stream::Overnight, key, i),
                noise.normal(Stream::Intraday, key, i),
            )
        };
        let shocks: Vec<(f64, f64)> = (0..sessions.len() as i64)
            .map(|i| {
                let own = drawn(key, i);
                let Some((sector, share)) = spec.sector else {
                    return own;
                };
                let (common, apart) = (share.sqrt(), (1.0 - share).sqrt());
                let shared = drawn(name_key(sector), i);
                (
                    common * shared.0 + apart * own.0,
                    common * shared.1 + apart * own.1,
                )
            })
            .collect();
        let own = (spec.own_vol > 0.0).then(|| {
            let day: Vec<f64> = shocks.iter().map(|s| s.1).collect();
            Variances::new(noise, (key, spec.own_vol), &day, -0.3, anchor)
        });
        let events = spec
            .event
            .map_or_else(Vec::new, |e| dates(e.on, e.every, sessions[0], LAST));
        let jump = |i: usize| match spec.event {
            Some(e) if i > 0 && events.iter().any(|(d, _)| *d == sessions[i - 1]) => {
                let drawn = noise.normal(Stream::Results, key, i as i64);
                // Either way a two-sided jump has the variance of the stated deviation.
                e.jump
                    * if e.two_sided {
                        0.96_f64.sqrt() * drawn.signum() + 0.2 * (drawn.abs() - 0.8)
                    } else {
                        drawn
                    }
            }
            _ => 0.0,
        };
        let part = |i: usize, share: f64, shock: f64| {
            let v = own.as_ref().map_or(0.0, |o| o.of_session[i]) * share / YEAR;
            v.sqrt() * shock - v / 2.0
        };
        let own_night: Vec<f64> = (0..sessions.len())
            .map(|i| part(i, NIGHT, shocks[i].0) + jump(i))
            .collect();
        let own_day: Vec<f64> = (0..sessions.len())
            .map(|i| part(i, 1.0 - NIGHT, shocks[i].1))
            .collect();
        // What the own moves of the history happen to share with the market is taken out, so that
        // the betas estimated from it are the world's.
        let chance = slope(
            &sum(&own_night, &own_day)[..anchor],
            &sum(market_night, market_move)[..anchor],
        );
        let beta = spec.underlying.beta - chance;
        let yielded = spec.index_yield / YEAR;
        let (mut open, mut close, mut own_move) = (Vec::new(), Vec::new(), Vec::new());
        let mut level = 0.0;
        for i in 0..sessions.len() {
            level += beta * market_night[i] + own_night[i] - yielded;
            open.push(level);
            level += beta * market_move[i] + own_day[i];
            // The bridge of the day adds the market's part by the stated beta.
            own_move.push(own_day[i] - chance * market_move[i]);
            close.push(level);
        }
        let shift = log(spec.anchor) - open[anchor];
        for x in open.iter_mut().chain(&mut close) {
            *x += shift;
        }
        let dividends = spec.dividend.map_or_else(Vec::new, |d| {
            let cash = Price::cents((spec.anchor * d.yearly / 4.0 * 100.0).round() as i64);
            dates(d.on, Some(13), sessions[0], LAST)
                .into_iter()
                .map(|(ex, _)| (ex, cash))
                .collect()
        });
        let mut series = Series {
            key,
            open,
            close,
            own_move,
            chance,
            own,
            events,
            dividends,
        };
        series.go_ex(sessions, anchor);
        series
    }

    /// Lets the price fall by each dividend at the opening of its ex-date; the anchor stays where
    /// it is.
    fn go_ex(&mut self, sessions: &[Date], anchor: usize) {
        let place = |day: Date| sessions.partition_point(|d| *d < day);
        let falls: Vec<(usize, f64)> = self
            .dividends
            .iter()
            .map(|(ex, cash)| (place(*ex), cash.to_f64()))
            .filter(|(i, _)| *i > 0 && *i < sessions.len())
            .collect();
        // Forward from the anchor each fall lowers what follows; backward it lifts what came
        // before.
        let mut fallen = 0.0;
        for (n, (i, cash)) in falls.iter().enumerate().filter(|(_, (i, _))| *i > anchor) {
            // What came before is at its final level already.
            fallen += log(1.0 - cash / exp(self.close[i - 1]));
            let until = falls.get(n + 1).map_or(sessions.len(), |next| next.0);
            for x in self.open[*i..until]
                .iter_mut()
                .chain(&mut self.close[*i..until])
            {
                *x += fallen;
            }
        }
        let mut lifted = 0.0;
        for (n, (i, cash)) in falls
            .iter()
            .enumerate()
            .rev()
            .filter(|(_, (i, _))| *i <= anchor)
        {
            let before = self.close[i - 1] + lifted;
            lifted += log(exp(before) + cash) - before;
            let from = if n == 0 { 0 } else { falls[n - 1].0 };
            for x in self.open[from..*i]
                .iter_mut()
                .chain(&mut self.close[from..*i])
            {
                *x += lifted;
            }
        }
    }
}

/// A date, and every so many weeks before and after it, on sessions, each with the next opening.
fn dates(on: Date, every: Option<i64>, first: Date, last: Date) -> Vec<(Date, Moment)> {
    let turns = if every.is_some() { -20..20 } else { 0..1 };
    let mut out: Vec<(Date, Moment)> = turns
        .filter_map(|n: i64| on.checked_add((every.unwrap_or(0) * n).weeks()).ok())
        .filter(|d| *d > first && *d < last)
        .map(desk::calendar::session_on_or_before)
        .map(|d| (d, open_of(next_session(d))))
        .collect();
    out.sort();
    out
}

/// Drift that compensates half the variance and pays a little for risk.
pub(crate) fn drift(variance: f64) -> f64 {
    (0.06 - variance / 2.0) / YEAR
}

/// Variances a year, session by session: exp of a mean-reverting process that reacts to the session's
/// shock, shifted so that the anchor day has the stated volatility.
///
/// ln v of the next session = ln v − κ(ln v − m) + ω(ρ·shock + √(1 − ρ²)·other).
pub(crate) struct Variances {
    /// As each session begins, its night not yet counted.
    pub of_session: Vec<f64>,
    /// What its own shocks hang on.
    pub key: u64,
    /// The level of ln v that it returns to.
    mean: f64,
    /// Correlation with the session's shock.
    leverage: f64,
}

const DAILY_REVERSION: f64 = 0.02;
const VOL_OF_VARIANCE: f64 = 0.11;

impl Variances {
    fn new(
        noise: Noise,
        (key, vol): (u64, f64),
        shocks: &[f64],
        leverage: f64,
        anchor: usize,
    ) -> Variances {
        let mut out = Variances {
            of_session: Vec::with_capacity(shocks.len()),
            key,
            mean: 0.0,
            leverage,
        };
        let mut x = 0.0;
        let mut logs = Vec::with_capacity(shocks.len());
        for (i, shock) in shocks.iter().enumerate() {
            logs.push(x);
            x = out.moved(x, 1.0, *shock, out.other(noise, i));
        }
        out.mean = log(vol * vol) - logs[anchor];
        out.of_session = logs.into_iter().map(|l| exp(l + out.mean)).collect();
        out
    }

    /// The shock of a session that is the variance's own.
    pub(crate) fn other(&self, noise: Noise, session: usize) -> f64 {
        noise.normal(Stream::Variance, self.key, session as i64)
    }

    /// ln v above its mean after a part of a session with so much of its shocks.
    fn moved(&self, x: f64, part: f64, shock: f64, other: f64) -> f64 {
        let apart = (1.0 - self.leverage * self.leverage).sqrt();
        x - part * DAILY_REVERSION * x + VOL_OF_VARIANCE * (self.leverage * shock + apart * other)
    }

    /// Variance after a part of a session with so much of its shocks; after the whole of it that of the
    /// next session.
    pub(crate) fn after(&self, session: usize, part: f64, shock: f64, other: f64) -> f64 {
        let x = log(self.of_session[session]) - self.mean;
        exp(self.moved(x, part, shock, other) + self.mean)
    }
}

fn sum(a: &[f64], b: &[f64]) -> Vec<f64> {
    a.iter().zip(b).map(|(a, b)| a + b).collect()
}

/// Slope of a straight line through `y` against `x`.
fn slope(y: &[f64], x: &[f64]) -> f64 {
    let n = x.len() as f64;
    let (mx, my) = (x.iter().sum::<f64>() / n, y.iter().sum::<f64>() / n);
    let (mut xy, mut xx) = (0.0, 0.0);
    for (x, y) in x.iter().zip(y) {
        xy += (x - mx) * (y - my);
        xx += (x - mx) * (x - mx);
    }
    xy / xx
}
