//! American puts from their early-exercise boundary: the value integral.
//!
//! With strike 1 (prices scale with it), x spot over strike, τ time to maturity, r rate, q
//! yield, σ volatility, B(τ) the boundary of `boundary` and d±(τ,z) = [ln z + (r−q)τ]/(σ√τ) ± σ√τ/2
//! the put is V(x) = p(T,x) + ∫₀ᵀ [r e^{−r(T−u)} Φ(−d₋(T−u, x/B(u))) − q x e^{−q(T−u)} Φ(−d₊(T−u,
//! x/B(u)))] du (I. J. Kim, *Review of Financial Studies* 3 (1990) 547–572); delta and gamma are
//! the integral's derivatives. Near the boundary the integrand has a narrow peak at u = T, which
//! the second derivative feels most: there delta and gamma have points of their own (`Near`).
//!
//! Many options go side by side, one in each lane of the vector registers; a lane's result does not
//! depend on its neighbours. Calls come by the symmetry C(S,K,r,q) = P(K,S,q,r) (McDonald &
//! Schroder 1998) in `model.rs`. Valid where `boundary` is.

use crate::boundary::{Boundaries, Strip};
use crate::lanes::{self, Kernel, exp, ln, max};
use crate::normal::{cdf_with, pdf_lane};
use crate::scheme::{Lanes, Pair, WIDTH, halves, twice};

/// Price of a put with strike 1 and its derivatives by x.
#[derive(Debug, Clone, Copy, Default)]
pub(crate) struct PutValue {
    pub price: f64,
    pub delta: f64,
    pub gamma: f64,
}

impl Boundaries {
    /// Price, delta and gamma of each lane's put at its own x = spot/strike.
    pub(crate) fn values(&self, x: &Lanes) -> [PutValue; WIDTH] {
        lanes::run(Values {
            boundaries: self,
            x,
        })
    }

    /// Delta and gamma of one lane's put at `x`, already valued, where that is so near to the
    /// boundary that the common points of the integral miss its peak.
    pub(crate) fn refine(&self, lane: usize, x: f64, value: &mut PutValue) {
        let mut weights = [0.0; WIDTH];
        weights[lane] = 1.0;
        self.refined(lane, &weights, self.deviation[lane], x, value);
    }

    /// As [`Boundaries::between`], with [`Boundaries::refine`].
    pub(crate) fn refined_between(
        &self,
        weights: &[Lanes; WIDTH],
        deviation: &Lanes,
        x: &Lanes,
    ) -> [PutValue; WIDTH] {
        let mut values = self.between(weights, deviation, x);
        for (l, value) in values.iter_mut().enumerate() {
            let own = weights.map(|lanes| lanes[l]);
            self.refined(0, &own, deviation[l], x[l], value);
        }
        values
    }

    fn refined(&self, lane: usize, weights: &Lanes, deviation: f64, x: f64, value: &mut PutValue) {
        let log: f64 = weights
            .iter()
            .zip(&self.now)
            .map(|(weight, now)| weight * libm::log(*now))
            .sum();
        let distance = (libm::log(x) - log) / deviation;
        if distance > 0.0 && distance < self.scheme.near_below {
            let near = lanes::run(Near {
                boundaries: self,
                lane,
                weights,
                deviation,
                now: libm::exp(log),
                distance,
                x,
            });
            (value.delta, value.gamma) = (near.delta, near.gamma);
        }
    }

    /// Values at volatilities between those of the lanes, which differ in nothing else; see
    /// [`Between`].
    pub(crate) fn between(
        &self,
        weights: &[Lanes; WIDTH],
        deviation: &Lanes,
        x: &Lanes,
    ) -> [PutValue; WIDTH] {
        lanes::run(Between {
            boundaries: self,
            weights,
            deviation,
            x,
        })
    }

    /// Prices of one lane's put at many x = spot/strike.
    pub(crate) fn prices(&self, lane: usize, x: &[f64], out: &mut [f64]) {
        for (x, out) in x.chunks(WIDTH).zip(out.chunks_mut(WIDTH)) {
            let mut block = [1.0; WIDTH];
            block[..x.len()].copy_from_slice(x);
            let values = lanes::run(Prices {
                boundaries: self,
                lane,
                x: block,
            });
            for (out, value) in out.iter_mut().zip(&values) {
                *out = value.price;
            }
        }
    }
}

struct Values<'a> {
    boundaries: &'a Boundaries,
    x: &'a Lanes,
}

impl Kernel for Values<'_> {
    type Output = [PutValue; WIDTH];

    #[inline(always)]
    fn call(self) -> [PutValue; WIDTH] {
        let b = self.boundaries;
        let mut sum = Sum::of_european(self.x, &b.drift, &b.deviation, &b.discount, &b.carry);
        for strip in &b.strips {
            sum.add(strip, b.pays);
        }
        sum.values(&b.now)
    }
}

/// A put's value while the points of its integral are added up.
struct Sum {
    x: Lanes,
    /// Of the European put.
    price: Lanes,
    delta: Lanes,
    gamma: Lanes,
    /// x and ln x, and the premium with its derivatives.
    spots: Pair,
    logs: Pair,
    premium: Pair,
    slopes: Pair,
    bends: Pair,
}

impl Sum {
    #[inline(always)]
    fn of_european(
        x: &Lanes,
        drift: &Lanes,
        deviation: &Lanes,
        discount: &Lanes,
        carry: &Lanes,
    ) -> Sum {
        let (x, drift, deviation, discount, carry) = (*x, *drift, *deviation, *discount, *carry);
        let (mut log, mut price, mut delta, mut gamma) =
            ([0.0; WIDTH], [0.0; WIDTH], [0.0; WIDTH], [0.0; WIDTH]);
        for l in 0..WIDTH {
            log[l] = ln(x[l]);
            let d1 = (log[l] + drift[l]) / deviation[l] + 0.5 * deviation[l];
            let d2 = d1 - deviation[l];
            let density = pdf_lane(d1);
            let below = carry[l] * cdf_with(-d1, density);
            price[l] = max(
                discount[l] * cdf_with(-d2, pdf_lane(d2)) - x[l] * below,
                0.0,
            );
            delta[l] = -below;
            gamma[l] = carry[l] * density / (x[l] * deviation[l]);
        }
        const ZERO: Pair = [0.0; 2 * WIDTH];
        Sum {
            x,
            price,
            delta,
            gamma,
            spots: twice(&x),
            logs: twice(&log),
            premium: ZERO,
            slopes: ZERO,
            bends: ZERO,
        }
    }

    #[inline(always)]
    fn add(&mut self, strip: &Strip, pays: bool) {
        let (s, logs, spots) = (*strip, self.logs, self.spots);
        let (mut premium, mut slopes, mut bends) = (self.premium, self.slopes, self.bends);
        for l in 0..2 * WIDTH {
            let minus = (logs[l] - s.shift[l]) * s.inverse[l] - s.half[l];
            let density = pdf_lane(minus);
            let slope = s.interest[l] * density * s.inverse[l] / spots[l];
            premium[l] += s.interest[l] * cdf_with(-minus, density);
            slopes[l] -= slope;
            bends[l] += slope * (minus * s.inverse[l] + 1.0) / spots[l];
        }
        if pays {
            for l in 0..2 * WIDTH {
                let plus = (logs[l] - s.shift[l]) * s.inverse[l] + s.half[l];
                let density = pdf_lane(plus);
                let held = cdf_with(-plus, density);
                premium[l] -= spots[l] * s.dividend[l] * held;
                slopes[l] += s.dividend[l] * (density * s.inverse[l] - held);
                bends[l] +=
                    s.dividend[l] * density * s.inverse[l] * (1.0 - plus * s.inverse[l]) / spots[l];
            }
        }
        (self.premium, self.slopes, self.bends) = (premium, slopes, bends);
    }

    #[inline(always)]
    fn values(&self, now: &Lanes) -> [PutValue; WIDTH] {
        let (premium, slopes, bends) = (
            halves(&self.premium),
            halves(&self.slopes),
            halves(&self.bends),
        );
        std::array::from_fn(|l| {
            let exercised = 1.0 - self.x[l];
            if self.x[l] <= now[l] {
                PutValue {
                    price: exercised,
                    delta: -1.0,
                    gamma: 0.0,
                }
            } else {
                let price = max(self.price[l] + max(premium[l], 0.0), exercised);
                PutValue {
                    price,
                    delta: self.delta[l] + slopes[l],
                    gamma: self.gamma[l] + bends[l],
                }
            }
        })
    }
}

/// Puts that differ in volatility and spot alone, from boundaries solved at [`WIDTH`] volatilities:
/// between them ln B is interpolated. Lane l takes `weights[m][l]` of the boundary at volatility m.
struct Between<'a> {
    boundaries: &'a Boundaries,
    weights: &'a [Lanes; WIDTH],
    deviation: &'a Lanes,
    x: &'a Lanes,
}

impl Kernel for Between<'_> {
    type Output = [PutValue; WIDTH];

    #[inline(always)]
    fn call(self) -> [PutValue; WIDTH] {
        let (b, weights, deviation) = (self.boundaries, *self.weights, twice(self.deviation));
        let mut sum = Sum::of_european(self.x, &b.drift, self.deviation, &b.discount, &b.carry);
        for (strip, p) in b.strips.iter().zip(&b.scheme.value) {
            // Interest and dividend are the same in every lane.
            let mut s = *strip;
            let (mut one, mut other) = ([0.0; WIDTH], [0.0; WIDTH]);
            for (m, weights) in weights.iter().enumerate() {
                for l in 0..WIDTH {
                    one[l] = weights[l].mul_add(strip.shift[m], one[l]);
                    other[l] = weights[l].mul_add(strip.shift[m + WIDTH], other[l]);
                }
            }
            s.shift = std::array::from_fn(|l| if l < WIDTH { one[l] } else { other[l - WIDTH] });
            for (l, deviation) in deviation.iter().enumerate() {
                s.inverse[l] = p.inverse[l] / deviation;
                s.half[l] = 0.5 * deviation * p.root_left[l];
            }
            sum.add(&s, b.pays);
        }
        let mut now = [0.0; WIDTH];
        for (m, weights) in weights.iter().enumerate() {
            let log = ln(b.now[m]);
            for l in 0..WIDTH {
                now[l] = weights[l].mul_add(log, now[l]);
            }
        }
        for now in &mut now {
            *now = exp(*now);
        }
        sum.values(&now)
    }
}

/// One put at x near its boundary: `distance` is ln(x/`now`) over the deviation.
///
/// Down to the first of [`NODES`] the finer points of the integral serve. Below, gamma is the
/// polynomial through what they give at those distances and what it is at the boundary itself,
/// where V = 1 − x does not change with time and the pricing equation leaves ½σ²B²V″ = r − qB.
struct Near<'a> {
    boundaries: &'a Boundaries,
    /// The lane whose terms it shares.
    lane: usize,
    /// What it takes of each lane's boundary.
    weights: &'a Lanes,
    deviation: f64,
    now: f64,
    distance: f64,
    x: f64,
}

/// Distances from the boundary, in deviations, through which gamma is interpolated: Chebyshev
/// points between 0.03 and 0.24.
const NODES: [f64; WIDTH - 1] = [
    0.032_633, 0.052_906, 0.089_437, 0.135, 0.180_563, 0.217_094, 0.237_367,
];

impl Kernel for Near<'_> {
    type Output = PutValue;

    #[inline(always)]
    fn call(self) -> PutValue {
        let (b, lane, deviation) = (self.boundaries, self.lane, self.deviation);
        let mut x = [self.x; WIDTH];
        for (x, node) in x.iter_mut().zip(NODES) {
            *x = self.now * exp(node * deviation);
        }
        let all = |lanes: &Lanes| [lanes[lane]; WIDTH];
        let mut sum = Sum::of_european(
            &x,
            &all(&b.drift),
            &[deviation; WIDTH],
            &all(&b.discount),
            &all(&b.carry),
        );
        for (strip, p) in b.near().iter().zip(&b.scheme.near) {
            let half = |of: &Pair, l: usize| of[l / WIDTH * WIDTH + lane];
            let taken = |from: usize| -> f64 {
                (0..WIDTH)
                    .map(|m| self.weights[m] * strip.shift[from + m])
                    .sum()
            };
            let shift = [taken(0), taken(WIDTH)];
            let s = Strip {
                shift: std::array::from_fn(|l| shift[l / WIDTH]),
                inverse: std::array::from_fn(|l| p.inverse[l] / deviation),
                half: std::array::from_fn(|l| 0.5 * deviation * p.root_left[l]),
                interest: std::array::from_fn(|l| half(&strip.interest, l)),
                dividend: std::array::from_fn(|l| half(&strip.dividend, l)),
            };
            sum.add(&s, b.pays);
        }
        let values = sum.values(&[self.now; WIDTH]);
        let own = values[WIDTH - 1];
        if self.distance >= NODES[0] {
            return own;
        }
        let gain = b.curve.rate[lane] - b.curve.carry_yield[lane] * self.now;
        let variance = deviation * deviation / b.curve.time[lane];
        let edge = 2.0 * gain / (variance * self.now * self.now);
        let at = |i: usize| if i == 0 { 0.0 } else { NODES[i - 1] };
        let gamma = (0..WIDTH)
            .map(|i| {
                let taken: f64 = (0..WIDTH)
                    .filter(|j| *j != i)
                    .map(|j| (self.distance - at(j)) / (at(i) - at(j)))
                    .product();
                taken * if i == 0 { edge } else { values[i - 1].gamma }
            })
            .sum();
        PutValue { gamma, ..own }
    }
}

/// One lane's put at [`WIDTH`] values of x.
struct Prices<'a> {
    boundaries: &'a Boundaries,
    lane: usize,
    x: Lanes,
}

impl Kernel for Prices<'_> {
    type Output = [PutValue; WIDTH];

    #[inline(always)]
    fn call(self) -> [PutValue; WIDTH] {
        let (b, lane) = (self.boundaries, self.lane);
        let all = |lanes: &Lanes| [lanes[lane]; WIDTH];
        let both =
            |pair: &Pair| -> Pair { std::array::from_fn(|l| pair[l / WIDTH * WIDTH + lane]) };
        let mut sum = Sum::of_european(
            &self.x,
            &all(&b.drift),
            &all(&b.deviation),
            &all(&b.discount),
            &all(&b.carry),
        );
        for s in &b.strips {
            let strip = Strip {
                shift: both(&s.shift),
                inverse: both(&s.inverse),
                half: both(&s.half),
                interest: both(&s.interest),
                dividend: both(&s.dividend),
            };
            sum.add(&strip, b.pays);
        }
        sum.values(&all(&b.now))
    }
}
