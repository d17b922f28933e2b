//! Implied volatility.
//!
//! European: the price is discounted back to the forward and its out-of-the-money part solved for
//! s = σ√T on b(x,s) = Φ(x/s+s/2)e^{x/2} − Φ(x/s−s/2)e^{−x/2}, x = −|ln(F/K)|. Source of the
//! transformation and of the three objectives: P. Jäckel, "Let's be rational", *Wilmott* (2017):
//! 1/ln b below the inflection s_c = √(2|x|), b itself above it, ln(e^{x/2} − b) far above.
//! Householder steps of the fourth order from guesses of our own: below, |x|/√(−2 ln b) times its
//! ratio to s at the inflection raised to ln b_c/ln b; above, y + y³/6 from the inflection, y = (b
//! − b_c)/b′(s_c), where b‴ = −b′; far above, the exact answer at x = 0 with the inverse
//! distribution of Abramowitz & Stegun 26.2.23. Three steps reach rounding. Many rows go side by
//! side; each ends when its own step is small. Error: the rounding of the price over vega.
//!
//! American: secant steps on the price of the boundary engine inside a bracket, from the European
//! answer, many options side by side; to 1e-13 of strike or spot in price and to 1e-8 in
//! volatility; where the rounding of the price is worth more than 1e-7 the row is refused. A price
//! outside the no-arbitrage bounds gives the bound it broke, never a number.

use std::f64::consts::FRAC_1_SQRT_2;

use thiserror::Error;

use crate::batch::{Lane, Vanilla, values};
use crate::brent::{RootError, find_root};
use crate::dividends::{Dividend, DividendModel};
use crate::european::{european, european_price, still_value};
use crate::lanes::{self, Kernel, exp, ln, max, min};
use crate::model::{Accuracy, Bumps, Engine, PricedOn};
use crate::normal::{FRAC_1_SQRT_2PI, erfcx_lane};
use crate::terms::{self, Kind, Style, Terms};

/// Why a price implies no volatility.
#[derive(Debug, Clone, Copy, PartialEq, Error)]
pub enum ImpliedError {
    /// The price lies at or outside a no-arbitrage bound.
    #[error("{bound}: the price {price} must lie above {lower} and below {upper}")]
    OutOfBounds {
        /// Which bound was broken.
        bound: Bound,
        /// The price given.
        price: f64,
        /// Value without volatility.
        lower: f64,
        /// Value at unlimited volatility.
        upper: f64,
    },
    /// Nothing is left to expiry: the price says nothing about volatility.
    #[error("no time is left to expiry")]
    NoTime,
    /// The price answers to volatility by less than its own rounding: far from the money.
    #[error(
        "the price {price} is too far from the money: its rounding is worth more than 1e-7 of \
         volatility"
    )]
    Indeterminate {
        /// The price given.
        price: f64,
    },
    /// The inputs are outside the domain.
    #[error(transparent)]
    Input(#[from] terms::Error),
    /// No volatility between 0.01 % and 5,000 % a year gives the price, though it lies inside the
    /// bounds.
    #[error("no convergence: {0}")]
    Solver(#[from] crate::brent::RootError),
}

/// The two no-arbitrage bounds of an option price.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Bound {
    /// At or below the value without volatility.
    BelowIntrinsic,
    /// At or above the most the option can be worth.
    AboveMaximum,
}

impl std::fmt::Display for Bound {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(match self {
            Bound::BelowIntrinsic => "below intrinsic value",
            Bound::AboveMaximum => "above the maximum",
        })
    }
}

/// The volatility at which the option in `terms` (its own `vol` is ignored) costs `price`.
///
/// ```
/// // Hull's example (from memory): a call of 1.875 at 21 on a strike of 20 implies 23.5 % a year.
/// use quant::{Kind, Style, Terms, implied_vol};
/// let terms = Terms {
///     kind: Kind::Call,
///     style: Style::European,
///     strike: 20.0,
///     time: 0.25,
///     rate: 0.10,
///     carry_yield: 0.0,
///     vol: 0.0,
/// };
/// let vol = implied_vol(&terms, 21.0, 1.875)?;
/// assert!((vol - 0.235).abs() < 0.0005);
/// // Less than it is worth without volatility implies none.
/// assert!(implied_vol(&terms, 21.0, 1.20).is_err());
/// # Ok::<(), quant::ImpliedError>(())
/// ```
///
/// # Errors
/// A price outside of its bounds or too far from the money, no time left, or terms out of range.
pub fn implied_vol(terms: &Terms, spot: f64, price: f64) -> Result<f64, ImpliedError> {
    let contract = Vanilla {
        terms: *terms,
        spot,
        on: PricedOn::Spot,
    };
    check(terms, spot, price)?;
    let row = [(contract, price)];
    match terms.style {
        // One row alone needs no vector registers and no list.
        Style::European => lanes::run(Block::<1>(&row)).answer(0, &contract, price),
        Style::American => american_implied(&row, Accuracy::Interactive).swap_remove(0),
    }
}

/// The volatility of each contract (its own `vol` is ignored) at its price, or why it has none:
/// many for a tenth of the time each.
///
/// ```
/// use quant::{Accuracy, Kind, PricedOn, Style, Terms, Vanilla, implied_vol_all};
/// let terms = Terms {
///     kind: Kind::Put,
///     style: Style::American,
///     strike: 100.0,
///     time: 0.5,
///     rate: 0.05,
///     carry_yield: 0.0,
///     vol: 0.0,
/// };
/// let at = |spot| Vanilla { terms, spot, on: PricedOn::Spot };
/// let rows = [(at(100.0), 6.0), (at(80.0), 12.0)];
/// let vols = implied_vol_all(&rows, Accuracy::Interactive);
/// assert!(vols[0].as_ref().is_ok_and(|vol| (vol - 0.25).abs() < 0.02));
/// // 12.00 for what can be exercised for 20.00 is no price.
/// assert!(vols[1].is_err());
/// ```
pub fn implied_vol_all(
    rows: &[(Vanilla, f64)],
    accuracy: Accuracy,
) -> Vec<Result<f64, ImpliedError>> {
    let mut out: Vec<Result<f64, ImpliedError>> = rows
        .iter()
        .map(|(c, price)| check(&c.terms, c.spot, *price).map(|()| 0.0))
        .collect();
    let sound = |style: Style, out: &[Result<f64, ImpliedError>]| -> Vec<usize> {
        (0..rows.len())
            .filter(|i| out[*i].is_ok() && rows[*i].0.terms.style == style)
            .collect()
    };
    let plain = sound(Style::European, &out);
    for (i, answer) in plain.iter().zip(european_implied(
        &plain.iter().map(|i| rows[*i]).collect::<Vec<_>>(),
    )) {
        out[*i] = answer;
    }
    let early = sound(Style::American, &out);
    for (i, answer) in early.iter().zip(american_implied(
        &early.iter().map(|i| rows[*i]).collect::<Vec<_>>(),
        accuracy,
    )) {
        out[*i] = answer;
    }
    out
}

/// Refuses what no solver can use.
fn check(terms: &Terms, spot: f64, price: f64) -> Result<(), ImpliedError> {
    Terms { vol: 0.0, ..*terms }.check()?;
    terms::price_level("spot", spot)?;
    if !price.is_finite() {
        return Err(terms::Error::NotFinite("price").into());
    }
    if terms.time <= 0.0 {
        return Err(ImpliedError::NoTime);
    }
    Ok(())
}

/// European rows of a list are worked on this many at a time.
const BLOCK: usize = 8;
/// Householder steps before a row is given to the slow solver.
const STEPS: usize = 12;

/// A block of European rows, solved.
struct Solved<const N: usize> {
    /// σ√T, and whether the last step was small.
    deviation: [f64; N],
    settled: [bool; N],
    /// The price undiscounted, less its intrinsic value; and what is left up to the most it can be.
    excess: [f64; N],
    room: [f64; N],
}

/// At least one row and at most N; what is missing is filled with the last.
struct Block<'a, const N: usize>(&'a [(Vanilla, f64)]);

impl<const N: usize> Kernel for Block<'_, N> {
    type Output = Solved<N>;

    #[inline(always)]
    fn call(self) -> Solved<N> {
        let (mut sign, mut spot, mut strike, mut price) = ([0.0; N], [0.0; N], [0.0; N], [0.0; N]);
        let (mut growth, mut drift) = ([0.0; N], [0.0; N]);
        for l in 0..N {
            let (c, p) = &self.0[l.min(self.0.len() - 1)];
            let t = &c.terms;
            (sign[l], spot[l], strike[l], price[l]) = (t.kind.sign(), c.spot, t.strike, *p);
            (growth[l], drift[l]) = (t.rate * t.time, (t.rate - t.carry_yield) * t.time);
        }
        let (mut x, mut up, mut beta, mut s) = ([0.0; N], [0.0; N], [0.0; N], [0.0; N]);
        let (mut excess, mut room, mut zone) = ([0.0; N], [0.0; N], [0.0; N]);
        for l in 0..N {
            let forward = spot[l] * exp(drift[l]);
            let undiscounted = price[l] * exp(growth[l]);
            excess[l] = undiscounted - max(sign[l] * (forward - strike[l]), 0.0);
            room[l] = (if sign[l] > 0.0 { forward } else { strike[l] }) - undiscounted;
            x[l] = -(ln(spot[l] / strike[l]) + drift[l]).abs();
            up[l] = exp(0.5 * x[l]);
            beta[l] = max(excess[l] / (forward * strike[l]).sqrt(), 1e-300);
            let corner = (-2.0 * x[l]).sqrt();
            let at_corner = 0.5 * up[l] * (1.0 - erfcx_lane(corner * FRAC_1_SQRT_2));
            let (log, log_corner) = (-ln(beta[l]), -ln(max(at_corner, 1e-300)));
            let low = {
                let ratio = corner * (2.0 * log_corner).sqrt() / -x[l];
                -x[l] / (2.0 * log).sqrt() * exp(log_corner / log * ln(ratio))
            };
            let y = (beta[l] - at_corner) / (up[l] * FRAC_1_SQRT_2PI);
            let middle = corner + y + y * y * y / 6.0;
            let high = {
                let p = max((up[l] - beta[l]) / (up[l] + 1.0 / up[l]), 1e-300);
                let q = (-2.0 * ln(p)).sqrt();
                2.0 * (q
                    - (2.515517 + q * (0.802853 + q * 0.010328))
                        / (1.0 + q * (1.432788 + q * (0.189269 + q * 0.001308))))
            };
            let above = if beta[l] < at_corner { 0.0 } else { 1.0 };
            zone[l] = if y < 0.9 { above } else { 2.0 };
            let near = if zone[l] < 0.5 { low } else { middle };
            s[l] = if zone[l] > 1.5 { high } else { near };
        }
        let mut settled = [false; N];
        for _ in 0..STEPS {
            let mut step = [0.0; N];
            for l in 0..N {
                step[l] = householder(x[l], up[l], beta[l], s[l], zone[l]);
            }
            let mut all = true;
            for l in 0..N {
                if !settled[l] {
                    // The fourth order makes the next step smaller than rounding.
                    settled[l] = step[l].abs() < 1e-4 * s[l];
                    s[l] = max(min(s[l] + step[l], 5.0 * s[l]), 0.2 * s[l]);
                    all &= settled[l];
                }
            }
            if all {
                break;
            }
        }
        Solved {
            deviation: s,
            settled,
            excess,
            room,
        }
    }
}

/// One step towards b(x, s) = β by the objective of the zone: 0 below the inflection, 1 above it, 2
/// far above.
#[inline(always)]
fn householder(x: f64, up: f64, beta: f64, s: f64, zone: f64) -> f64 {
    let (h, t) = (x / s, 0.5 * s);
    let bell = exp(-0.5 * (h * h + t * t));
    let sum = h + t;
    let near = 0.5 * bell * erfcx_lane(sum.abs() * FRAC_1_SQRT_2);
    let b = (if sum > 0.0 { up - near } else { near })
        - 0.5 * bell * erfcx_lane((t - h) * FRAC_1_SQRT_2);
    let slope = bell * FRAC_1_SQRT_2PI;
    // The second and third derivatives of b over the first.
    let second = h * h / s - 0.5 * t;
    let third = second * second - 3.0 * (h / s) * (h / s) - 0.25;
    let safe = max(b, 1e-300);
    let (log, log_wanted) = (min(ln(safe), -1e-10), ln(beta));
    let a = slope / safe;
    let inverse = 1.0 / log;
    let (left, wanted_left) = (max(up - b, 1e-300), max(up - beta, 1e-300));
    let c = slope / left;
    let (low, high) = (zone < 0.5, zone > 1.5);
    // Newton's step, and the second and third derivatives of the objective over the first.
    let newton = if low {
        (log_wanted - log) * log / log_wanted / a
    } else {
        (beta - b) / slope
    };
    let newton = if high {
        ln(left / wanted_left) / c
    } else {
        newton
    };
    let curve = 1.0 + 2.0 * inverse;
    let two = if low { second - a * curve } else { second };
    let two = if high { second + c } else { two };
    let three = if low {
        third + 2.0 * a * a * (1.0 + 3.0 * inverse * (1.0 + inverse)) - 3.0 * second * a * curve
    } else {
        third
    };
    let three = if high {
        third + c * (2.0 * c + 3.0 * second)
    } else {
        three
    };
    newton * (1.0 + 0.5 * two * newton) / (1.0 + newton * (two + three * newton / 6.0))
}

impl<const N: usize> Solved<N> {
    /// The volatility of a row, or why it has none.
    fn answer(&self, l: usize, c: &Vanilla, price: f64) -> Result<f64, ImpliedError> {
        let t = &c.terms;
        let refuse = |bound| {
            let discount = (-t.rate * t.time).exp();
            let lower = (price - self.excess[l] * discount).max(0.0);
            Err(ImpliedError::OutOfBounds {
                bound,
                price,
                lower,
                upper: price + self.room[l] * discount,
            })
        };
        if self.excess[l] < 0.0 {
            refuse(Bound::BelowIntrinsic)
        } else if self.room[l] <= 0.0 {
            refuse(Bound::AboveMaximum)
        } else if self.excess[l] == 0.0 {
            Ok(0.0)
        } else if self.settled[l] {
            Ok(self.deviation[l] / t.time.sqrt())
        } else {
            let most = 100.0 / t.time.sqrt();
            let off = |vol| european_price(&Terms { vol, ..*t }, c.spot) - price;
            Ok(find_root(off, 0.0, most, 1e-15)?.x)
        }
    }
}

fn european_implied(rows: &[(Vanilla, f64)]) -> Vec<Result<f64, ImpliedError>> {
    let mut out = Vec::with_capacity(rows.len());
    for block in rows.chunks(BLOCK) {
        let solved = lanes::run(Block::<BLOCK>(block));
        let answers = block.iter().enumerate();
        out.extend(answers.map(|(l, (c, price))| solved.answer(l, c, *price)));
    }
    out
}

/// A row on its way.
struct Search {
    row: usize,
    vol: f64,
    /// The volatility before, and how far off its price was.
    before: Option<(f64, f64)>,
    /// What the price gains per unit of volatility, as far as is known.
    slope: f64,
    /// The answer lies between.
    low: f64,
    high: f64,
    /// A price is met when it is off by no more.
    tolerance: f64,
    /// Rounding of the price where it does not come from the price itself: of what cancels in it.
    rounding: f64,
    /// How many rounds were taken so far.
    rounds: usize,
    /// Why there is no answer.
    failure: Option<RootError>,
}

/// Rounds of prices that a row may take.
const ROUNDS: usize = 150;
/// After these, every second one halves the bracket, so that [`ROUNDS`] are enough for any price.
const FREE_ROUNDS: usize = 12;

fn american_implied(rows: &[(Vanilla, f64)], accuracy: Accuracy) -> Vec<Result<f64, ImpliedError>> {
    let guesses = european_implied(rows);
    let mut out: Vec<Result<f64, ImpliedError>> = Vec::with_capacity(rows.len());
    let mut begun: Vec<Search> = Vec::new();
    for ((row, (c, price)), guess) in rows.iter().enumerate().zip(guesses) {
        let t = Terms {
            vol: 0.3,
            ..c.terms
        };
        let (lower, upper) = (
            still_value(&t, c.spot).price,
            if t.kind == Kind::Call {
                c.spot
            } else {
                t.strike
            },
        );
        let refuse = |bound| {
            Err(ImpliedError::OutOfBounds {
                bound,
                price: *price,
                lower,
                upper,
            })
        };
        out.push(match Engine::of(&t) {
            Err(e) => Err(e.into()),
            // Never exercised early.
            Ok(Engine::European) => guess,
            _ if *price >= upper => refuse(Bound::AboveMaximum),
            _ if *price <= lower => refuse(Bound::BelowIntrinsic),
            // Within a minute of expiry only exercise is worth anything.
            Ok(Engine::Exercise) => Err(ImpliedError::NoTime),
            Ok(Engine::Boundary) => {
                let vol = guess.unwrap_or(0.3).clamp(0.02, 5.0);
                // The European vega is near enough to begin with.
                let slope = european(&Terms { vol, ..t }, c.spot).vega_point * 100.0;
                let scale = t.strike.max(c.spot);
                let exercised = t.kind.intrinsic(c.spot, t.strike) > 0.0;
                begun.push(Search {
                    row,
                    vol,
                    before: None,
                    slope,
                    low: LEAST,
                    high: MOST,
                    tolerance: 1e-13 * scale,
                    rounding: if exercised { f64::EPSILON * scale } else { 0.0 },
                    rounds: 0,
                    failure: None,
                });
                Ok(0.0)
            }
        });
    }
    begun = search(rows, begun, Accuracy::Interactive);
    if accuracy == Accuracy::Reference {
        begun = search(rows, begun, Accuracy::Reference);
    }
    for s in begun {
        let price = rows[s.row].1;
        out[s.row] = match s.failure {
            Some(failure) => Err(failure.into()),
            None if s.is_blind(price) => Err(ImpliedError::Indeterminate { price }),
            None => Ok(s.vol),
        };
    }
    out
}

/// Brings every search to its end.
fn search(rows: &[(Vanilla, f64)], mut searching: Vec<Search>, accuracy: Accuracy) -> Vec<Search> {
    let mut ended = Vec::with_capacity(searching.len());
    for s in &mut searching {
        (s.low, s.high, s.before, s.rounds, s.failure) = (LEAST, MOST, None, 0, None);
    }
    while !searching.is_empty() {
        let lanes: Vec<Lane> = searching
            .iter()
            .map(|s| {
                Lane::of(
                    &Terms {
                        vol: s.vol,
                        ..rows[s.row].0.terms
                    },
                    rows[s.row].0.spot,
                )
            })
            .collect();
        let mut still = Vec::with_capacity(searching.len());
        for (mut s, value) in searching.into_iter().zip(values(&lanes, accuracy)) {
            let (c, price) = &rows[s.row];
            let off = Bumps::unit(&c.terms, c.spot) * value.price - price;
            if s.moves(off) {
                still.push(s)
            } else {
                ended.push(s)
            }
        }
        searching = still;
    }
    ended
}

/// Volatilities are right to this, or refused.
const RIGHT_TO: f64 = 1e-7;

impl Search {
    /// Whether the rounding of the price is worth more volatility than [`RIGHT_TO`]. A price out of
    /// the money is the difference of two parts of the size of σ times its vega.
    fn is_blind(&self, price: f64) -> bool {
        let rounding = self.rounding + 2.0 * f64::EPSILON * (price + self.slope.abs() * self.vol);
        self.slope.is_nan() || rounding > RIGHT_TO * self.slope
    }

    /// Takes how far off the price is at the present volatility; goes on to the next, or stays
    /// because this is the answer or there is none.
    fn moves(&mut self, off: f64) -> bool {
        if off > 0.0 {
            self.high = self.vol;
        } else {
            self.low = self.vol;
        }
        self.rounds += 1;
        if off.abs() <= self.tolerance.min(0.1 * RIGHT_TO * self.slope) {
            return false;
        }
        if self.high <= LEAST || self.low >= MOST {
            self.failure = Some(RootError::NotBracketed(LEAST, MOST));
            return false;
        }
        if self.high - self.low <= 1e-15 * self.high {
            return false;
        }
        if self.rounds == ROUNDS {
            self.failure = Some(RootError::NotConverged(self.low, self.high));
            return false;
        }
        // Two prices too near each other would give a slope of rounding.
        if let Some((vol, before)) = self.before
            && (self.vol - vol).abs() > 1e-7 * self.vol
        {
            self.slope = (off - before) / (self.vol - vol);
        }
        let step = off / self.slope;
        if step.abs() <= 1e-14 * self.vol {
            return false;
        }
        self.before = Some((self.vol, off));
        let next = self.vol - step;
        let middle = if self.high < MOST {
            0.5 * (self.low + self.high)
        } else {
            (2.0 * self.vol).min(MOST)
        };
        let halve = self.rounds > FREE_ROUNDS && self.rounds.is_multiple_of(2);
        self.vol = if next > self.low && next < self.high && !halve {
            next
        } else {
            middle
        };
        true
    }
}

/// Volatilities that are looked at.
const LEAST: f64 = 1e-4;
const MOST: f64 = 50.0;

/// Checks the bounds, encloses the root and finds it; `f` is the price at a volatility less
/// `price`.
fn enclosed(
    f: impl Fn(f64) -> f64,
    price: f64,
    lower: f64,
    upper: f64,
) -> Result<f64, ImpliedError> {
    let refuse = |bound| ImpliedError::OutOfBounds {
        bound,
        price,
        lower,
        upper,
    };
    if price >= upper {
        return Err(refuse(Bound::AboveMaximum));
    }
    if price <= lower {
        return Err(refuse(Bound::BelowIntrinsic));
    }
    let (mut lo, mut hi) = (0.27, 0.33);
    while lo > LEAST && f(lo) > 0.0 {
        (lo, hi) = ((lo * 0.5).max(LEAST), lo);
    }
    while hi < MOST && f(hi) < 0.0 {
        (lo, hi) = (hi, (hi * 2.0).min(MOST));
    }
    Ok(find_root(f, lo, hi, 1e-9)?.x)
}

/// The volatility at which an option with cash dividends costs `price`.
///
/// ```
/// use quant::{Accuracy, Dividend, DividendModel, Kind, Style, Terms, implied_vol_with_dividends};
/// let terms = Terms {
///     kind: Kind::Call,
///     style: Style::American,
///     strike: 40.0,
///     time: 0.5,
///     rate: 0.09,
///     carry_yield: 0.0,
///     vol: 0.30,
/// };
/// let paid = [2.0, 5.0].map(|month| Dividend { time: month / 12.0, amount: 0.5 });
/// let price = DividendModel::new(&terms, &paid, Accuracy::Interactive)?.price(40.0)?;
/// let vol = implied_vol_with_dividends(&terms, &paid, 40.0, price, Accuracy::Interactive).unwrap();
/// assert!((vol - 0.30).abs() < 1e-4);
/// # Ok::<(), quant::Error>(())
/// ```
///
/// # Errors
/// As [`implied_vol`].
pub fn implied_vol_with_dividends(
    terms: &Terms,
    dividends: &[Dividend],
    spot: f64,
    price: f64,
    accuracy: Accuracy,
) -> Result<f64, ImpliedError> {
    check(terms, spot, price)?;
    let at = |vol: f64| -> Result<f64, terms::Error> {
        DividendModel::new(&Terms { vol, ..*terms }, dividends, accuracy)?.price(spot)
    };
    let lower = at(0.0)?;
    let american = terms.style == Style::American;
    let upper = match terms.kind {
        Kind::Call => {
            spot * if american {
                1.0
            } else {
                (-terms.carry_yield * terms.time).exp()
            }
        }
        Kind::Put => {
            terms.strike
                * if american {
                    1.0
                } else {
                    (-terms.rate * terms.time).exp()
                }
        }
    };
    enclosed(
        |vol| at(vol).unwrap_or(f64::NAN) - price,
        price,
        lower,
        upper,
    )
}
