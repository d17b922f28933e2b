//! European options in closed form.
//!
//! Everything is priced through the forward F = S e^{(r−q)T} and the discount factor e^{−rT}:
//! V = e^{−rT}·cp·[F Φ(cp d₁) − K Φ(cp d₂)], d₁,₂ = ln(F/K)/(σ√T) ± σ√T/2.
//!
//! Sources: Black & Scholes (1973), Merton (1973) for the yield, Black (1976) for q = r; Greeks as
//! in Hull, *Options, Futures and Other Derivatives*, ch. 19. Valid for S, K > 0, T ≥ 0, σ ≥ 0 and
//! any rates; T = 0 or σ = 0 is the discounted intrinsic value of the forward. Weakness: where
//! both terms nearly cancel (far out of the money), about three of the sixteen digits are lost.

use crate::lanes::{self, Kernel, exp, ln, max};
use crate::normal::{cdf, cdf_with, pdf, pdf_lane};
use crate::terms::{Terms, Valuation};

/// Without this much deviation an option is worth its discounted payoff.
const STILL: f64 = 1e-12;

/// The arguments of the formulas of one option.
#[derive(Clone, Copy)]
struct Inputs {
    sign: f64,
    spot: f64,
    strike: f64,
    time: f64,
    rate: f64,
    carry_yield: f64,
    vol: f64,
}

impl Inputs {
    fn of(t: &Terms, spot: f64) -> Inputs {
        Inputs {
            sign: t.kind.sign(),
            spot,
            strike: t.strike,
            time: t.time,
            rate: t.rate,
            carry_yield: t.carry_yield,
            vol: t.vol,
        }
    }

    /// Price, delta, gamma, theta a year, vega and rho a unit; σ√T above zero.
    #[inline(always)]
    fn value(&self) -> [f64; 6] {
        let Inputs {
            sign,
            spot,
            strike,
            time,
            rate,
            carry_yield,
            vol,
        } = *self;
        let root = time.sqrt();
        let deviation = vol * root;
        let inverse = 1.0 / deviation;
        let carried = spot * exp(-carry_yield * time);
        let discounted = strike * exp(-rate * time);
        let d1 = (ln(spot / strike) + (rate - carry_yield) * time) * inverse + 0.5 * deviation;
        let d2 = d1 - deviation;
        let density = pdf_lane(d1);
        let asset = carried * cdf_with(sign * d1, density);
        let cash = discounted * cdf_with(sign * d2, pdf_lane(d2));
        let vega = carried * density * root;
        let theta = sign * (carry_yield * asset - rate * cash) - 0.5 * vega * vol / time;
        [
            max(sign * (asset - cash), 0.0),
            sign * asset / spot,
            vega * inverse / (spot * spot * root),
            theta,
            vega,
            sign * time * cash,
        ]
    }
}

impl Kernel for Inputs {
    type Output = [f64; 6];

    #[inline(always)]
    fn call(self) -> [f64; 6] {
        self.value()
    }
}

fn valuation([price, delta, gamma, theta, vega, rho]: [f64; 6]) -> Valuation {
    Valuation {
        price,
        delta,
        gamma,
        theta_day: theta / 365.0,
        vega_point: vega / 100.0,
        rho_point: rho / 100.0,
    }
}

/// Price alone; the cheap path for curves.
///
/// ```
/// // Hull, "Options, Futures and Other Derivatives", the worked example of the Black–Scholes chapter
/// // (from memory): a call of 4.76, the put beside it 0.81.
/// use quant::{Kind, Style, Terms, european_price};
/// let terms = Terms {
///     kind: Kind::Call,
///     style: Style::European,
///     strike: 40.0,
///     time: 0.5,
///     rate: 0.10,
///     carry_yield: 0.0,
///     vol: 0.20,
/// };
/// assert!((european_price(&terms, 42.0) - 4.76).abs() < 0.005);
/// let put = Terms { kind: Kind::Put, ..terms };
/// assert!((european_price(&put, 42.0) - 0.81).abs() < 0.005);
/// ```
pub fn european_price(t: &Terms, spot: f64) -> f64 {
    if t.vol * t.time.sqrt() < STILL {
        without_volatility(t, spot).price
    } else {
        lanes::run(Inputs::of(t, spot))[0]
    }
}

/// Price and Greeks. At expiry, or without volatility, the Greeks are those of the discounted
/// payoff (gamma and vega zero; at the kink itself the delta of the out-of-the-money side).
///
/// ```
/// use quant::{Kind, Style, Terms, european};
/// let terms = Terms {
///     kind: Kind::Call,
///     style: Style::European,
///     strike: 40.0,
///     time: 0.5,
///     rate: 0.10,
///     carry_yield: 0.0,
///     vol: 0.20,
/// };
/// let call = european(&terms, 42.0);
/// // Where the price ends above the strike it is worth a share: it moves 0.78 for each 1.00.
/// assert!((call.delta - 0.779).abs() < 0.001);
/// // A day costs about a cent, a point of volatility is worth nine.
/// assert!((call.theta_day + 0.0125).abs() < 0.0005 && (call.vega_point - 0.0881).abs() < 0.0005);
/// ```
pub fn european(t: &Terms, spot: f64) -> Valuation {
    if t.vol * t.time.sqrt() < STILL {
        without_volatility(t, spot)
    } else {
        valuation(lanes::run(Inputs::of(t, spot)))
    }
}

/// Rows are worked on this many at a time.
const BLOCK: usize = 8;

/// As [`european`], of many options and their spots: the same numbers for a tenth of the time each.
///
/// ```
/// use quant::{Kind, Style, Terms, european, europeans};
/// let terms = Terms {
///     kind: Kind::Call,
///     style: Style::European,
///     strike: 40.0,
///     time: 0.5,
///     rate: 0.10,
///     carry_yield: 0.0,
///     vol: 0.20,
/// };
/// let rows: Vec<(Terms, f64)> = (36..48).map(|spot| (terms, f64::from(spot))).collect();
/// let all = europeans(&rows);
/// assert!((all[6].price - european(&terms, 42.0).price).abs() < 1e-12);
/// ```
pub fn europeans(rows: &[(Terms, f64)]) -> Vec<Valuation> {
    let mut out = Vec::with_capacity(rows.len());
    for block in rows.chunks(BLOCK) {
        let values = lanes::run(Block(block));
        out.extend(block.iter().zip(values).map(|((t, spot), v)| {
            if t.vol * t.time.sqrt() < STILL {
                without_volatility(t, *spot)
            } else {
                valuation(v)
            }
        }));
    }
    out
}

struct Block<'a>(&'a [(Terms, f64)]);

impl Kernel for Block<'_> {
    type Output = [[f64; 6]; BLOCK];

    #[inline(always)]
    fn call(self) -> [[f64; 6]; BLOCK] {
        let of = |l: usize| {
            Inputs::of(
                &self.0[l.min(self.0.len() - 1)].0,
                self.0[l.min(self.0.len() - 1)].1,
            )
        };
        let (mut sign, mut spot, mut strike, mut time) =
            ([0.0; BLOCK], [0.0; BLOCK], [0.0; BLOCK], [0.0; BLOCK]);
        let (mut rate, mut carry_yield, mut vol) = ([0.0; BLOCK], [0.0; BLOCK], [0.0; BLOCK]);
        for l in 0..BLOCK {
            let i = of(l);
            (
                sign[l],
                spot[l],
                strike[l],
                time[l],
                rate[l],
                carry_yield[l],
                vol[l],
            ) = (
                i.sign,
                i.spot,
                i.strike,
                i.time,
                i.rate,
                i.carry_yield,
                i.vol,
            );
        }
        let mut columns = [[0.0; BLOCK]; 6];
        for l in 0..BLOCK {
            let i = Inputs {
                sign: sign[l],
                spot: spot[l],
                strike: strike[l],
                time: time[l],
                rate: rate[l],
                carry_yield: carry_yield[l],
                vol: vol[l],
            };
            let [a, b, c, d, e, f] = i.value();
            (
                columns[0][l],
                columns[1][l],
                columns[2][l],
                columns[3][l],
                columns[4][l],
                columns[5][l],
            ) = (a, b, c, d, e, f);
        }
        std::array::from_fn(|l| std::array::from_fn(|k| columns[k][l]))
    }
}

/// How the Greeks themselves change; European options only.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct Higher {
    /// Change of delta per calendar day passing.
    pub charm_day: f64,
    /// Change of delta per volatility point.
    pub vanna_point: f64,
    /// Change of vega (per point) per volatility point.
    pub vomma_point: f64,
}

/// Charm, vanna and vomma (Haug, *The Complete Guide to Option Pricing Formulas*, 2007, ch. 2).
/// `None` without time or volatility, where they do not exist at the strike.
pub fn european_higher(t: &Terms, spot: f64) -> Option<Higher> {
    let root = t.time.sqrt();
    let deviation = t.vol * root;
    if deviation < 1e-12 {
        return None;
    }
    let carry = (-t.carry_yield * t.time).exp();
    let b = t.rate - t.carry_yield;
    let d1 = ((spot / t.strike).ln() + b * t.time) / deviation + 0.5 * deviation;
    let d2 = d1 - deviation;
    let density = carry * pdf(d1);
    let sign = t.kind.sign();
    let charm = sign * t.carry_yield * carry * cdf(sign * d1)
        - density * (2.0 * b * t.time - d2 * deviation) / (2.0 * t.time * deviation);
    let vega = spot * density * root;
    Some(Higher {
        charm_day: charm / 365.0,
        vanna_point: -density * d2 / t.vol / 100.0,
        vomma_point: vega * d1 * d2 / t.vol / 1e4,
    })
}

fn without_volatility(t: &Terms, spot: f64) -> Valuation {
    let (discount, carry) = ((-t.rate * t.time).exp(), (-t.carry_yield * t.time).exp());
    let sign = t.kind.sign();
    let value = sign * (spot * carry - t.strike * discount);
    if value <= 0.0 {
        return Valuation::default();
    }
    Valuation {
        price: value,
        delta: sign * carry,
        theta_day: sign * (t.carry_yield * spot * carry - t.rate * t.strike * discount) / 365.0,
        rho_point: sign * t.time * t.strike * discount / 100.0,
        ..Valuation::default()
    }
}

/// An American option without volatility: exercise at the best moment of a known path,
/// S e^{(r−q)t}, which is now, at expiry or where q S e^{−qt} = r K e^{−rt}. With S = 90, K = 80,
/// r = 5 %, q = 2 % a call of a year is worth 90 e^{−0.02} − 80 e^{−0.05} = 12.12.
pub(crate) fn still_value(t: &Terms, spot: f64) -> Valuation {
    let sign = t.kind.sign();
    let paid = |at: f64| t.strike * (-t.rate * at).exp();
    let held = |at: f64| spot * (-t.carry_yield * at).exp();
    let worth = |at: f64| sign * (held(at) - paid(at));
    let turn = (t.carry_yield * spot / (t.rate * t.strike)).ln() / (t.carry_yield - t.rate);
    let mut best = 0.0;
    for at in [turn, t.time] {
        // A turn that does not exist is no number, and lies nowhere.
        if at > 0.0 && at <= t.time && worth(at) > worth(best) {
            best = at;
        }
    }
    let price = worth(best);
    if price <= 0.0 {
        return Valuation::default();
    }
    let delta = sign * (-t.carry_yield * best).exp();
    // Only what is exercised at expiry comes nearer as time passes.
    let theta = if best > 0.0 {
        t.rate * price - (t.rate - t.carry_yield) * spot * delta
    } else {
        0.0
    };
    Valuation {
        price,
        delta,
        theta_day: theta / 365.0,
        rho_point: sign * paid(best) * best / 100.0,
        ..Valuation::default()
    }
}
