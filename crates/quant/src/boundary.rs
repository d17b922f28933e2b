//! The early-exercise boundary of American puts.
//!
//! Method: spectral collocation of the boundary and a fixed-point iteration of its integral
//! equation. Source: L. Andersen, M. Lake, D. Offengenden, "High-performance American option
//! pricing", *Journal of Computational Finance* 20 (2016) 39–87, fixed-point systems A (smooth
//! pasting; where |r−q|√τ < σ/2: it converges faster there, and diverges far outside) and B (value
//! matching); the first guess is the QD+ approximation of M. Li, "Analytical approximations for the
//! critical stock prices of American options", *Review of Derivatives Research* 13 (2010) 75–99.
//!
//! Symbols: strike 1 (prices scale with it), x spot over strike, τ time to maturity, r rate, q
//! yield, σ volatility, B(τ) boundary, X = B(0+) = min(1, r/q); d± as in `american`.
//!
//! Where we differ from the paper: the integrals over u ∈ (0, τ) are taken in the angle θ with
//! τ − u = τ sin²θ, which makes both √(τ−u) and √u smooth (the paper's substitution serves the
//! first alone), by Gauss–Legendre; and since the quadrature points are fixed fractions of each τ,
//! reading the interpolant there is one fixed matrix per scheme. Many options are solved side by
//! side, one in each lane of the vector registers; a lane's result does not depend on its
//! neighbours. The first guess is four Newton steps on the QD+ equation from an asymptotic start
//! (J. D. Evans, R. Kuske & J. B. Keller, *Mathematical Finance* 12 (2002) 219–237, blended with
//! the perpetual boundary): a fixed number, so that the guess is smooth in τ. Errors against an
//! independent library are in `tests/reference.rs`.
//!
//! Valid for r > 0 and any q: one boundary exists (r = 0 > q comes as its limit). The caller sends
//! every other case elsewhere (see `model.rs`). Weaknesses: very small σ√T with r near q converges
//! slowly; below one minute the caller uses the European price or intrinsic value.

use std::sync::OnceLock;

use crate::lanes::{self, Kernel, exp, ln, max, min};
use crate::normal::{cdf_with, pdf_lane};
use crate::scheme::{Lanes, Pair, Point, Scheme, WIDTH, halves, twice};

/// One option to solve: a put with strike 1. Requires `time`, `vol`, `rate` above zero.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Put {
    pub time: f64,
    pub rate: f64,
    pub carry_yield: f64,
    pub vol: f64,
    /// |r − q|/σ, which chooses the fixed-point system at each τ. An option that is bumped for a
    /// derivative keeps that of its original: switching would cost the derivative its digits.
    pub pull: f64,
}

/// Solved boundaries of up to [`WIDTH`] puts with strike 1, one a lane: price any spot.
#[derive(Debug, Clone)]
pub(crate) struct Boundaries {
    /// B at τ = T: the boundary today.
    pub now: Lanes,
    /// (r−q)T, σ√T, e^{−rT} and e^{−qT} of the European puts of the same terms.
    pub drift: Lanes,
    pub deviation: Lanes,
    pub discount: Lanes,
    pub carry: Lanes,
    pub strips: Vec<Strip>,
    /// Whether any lane has a yield.
    pub pays: bool,
    pub scheme: &'static Scheme,
    pub curve: Curve,
    near: OnceLock<Vec<Strip>>,
}

/// The boundary as it was solved: all that points of the value integral are made of.
#[derive(Debug, Clone)]
pub(crate) struct Curve {
    pub time: Lanes,
    pub rate: Lanes,
    pub carry_yield: Lanes,
    /// ln X, the logarithm of the boundary's value at expiry.
    log_top: Lanes,
    /// ln²(B/X) at each collocation point.
    heights: Vec<Lanes>,
}

/// Two points of the value integral, everything that does not depend on the spot.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Strip {
    /// ln B(u) − (r−q)(T−u): subtract from ln x to get the numerator of d.
    pub shift: Pair,
    /// 1/(σ√(T−u)), of the time from u to expiry.
    pub inverse: Pair,
    /// σ√(T−u)/2, half a deviation over that time.
    pub half: Pair,
    /// r e^{−r(T−u)} times the quadrature weight.
    pub interest: Pair,
    /// q e^{−q(T−u)} times the quadrature weight.
    pub dividend: Pair,
}

impl Boundaries {
    /// Solves all of them at once; the lanes that are left over repeat the last.
    pub(crate) fn solve(puts: &[Put], scheme: &'static Scheme) -> Boundaries {
        assert!((1..=WIDTH).contains(&puts.len()), "one to {WIDTH} puts");
        lanes::run(Solve { puts, scheme })
    }

    /// Points of the value integral for spots near the boundary, made when first asked for.
    pub(crate) fn near(&self) -> &[Strip] {
        self.near.get_or_init(|| {
            lanes::run(Cut {
                boundaries: self,
                points: &self.scheme.near,
                weights: &self.scheme.near_weights,
            })
        })
    }
}

struct Solve<'a> {
    puts: &'a [Put],
    scheme: &'static Scheme,
}

struct Cut<'a> {
    boundaries: &'a Boundaries,
    points: &'a [Point],
    weights: &'a [[f64; 2]],
}

impl Kernel for Cut<'_> {
    type Output = Vec<Strip>;

    #[inline(always)]
    fn call(self) -> Vec<Strip> {
        let b = self.boundaries;
        b.curve
            .strips(&b.drift, &b.deviation, self.points, self.weights)
    }
}

impl Kernel for Solve<'_> {
    type Output = Boundaries;

    #[inline(always)]
    fn call(self) -> Boundaries {
        let mut equation = Equation::new(self.puts, self.scheme);
        let most = equation.sweeps.iter().fold(0, |a, b| a.max(*b));
        for sweep in 0..most {
            if !equation.sweep(sweep, self.scheme) {
                break;
            }
        }
        equation.finish(self.scheme)
    }
}

/// One collocation point of all lanes.
#[derive(Clone, Copy)]
struct Node {
    /// B, the price at which exercise begins to pay.
    value: Lanes,
    /// ln(B/X), zero at expiry.
    log: Lanes,
    /// 1 where system A serves, 0 where B does.
    pasting: Lanes,
    /// Whether system B serves any lane.
    matching: bool,
}

/// The boundary equation of all lanes.
struct Equation {
    time: Lanes,
    rate: Lanes,
    carry_yield: Lanes,
    /// σ√T and its inverse.
    deviation: Lanes,
    inverse: Lanes,
    /// (r−q)T, the drift of the logarithm without its variance.
    drift: Lanes,
    /// X and its logarithm.
    top: Lanes,
    log_top: Lanes,
    pays: bool,
    nodes: Vec<Node>,
    /// H = ln²(B/X) of each node, which is smooth in √τ.
    heights: Vec<Lanes>,
    /// r e^{ru} and q e^{qu} at every point.
    interest: Vec<Pair>,
    dividend: Vec<Pair>,
    /// Sweeps each lane may take, and its largest move in the last.
    sweeps: [usize; WIDTH],
    moved: Lanes,
}

impl Equation {
    #[inline(always)]
    fn new(puts: &[Put], scheme: &Scheme) -> Equation {
        const ZERO: Lanes = [0.0; WIDTH];
        let put = |l: usize| &puts[l.min(puts.len() - 1)];
        let mut e = Equation {
            time: std::array::from_fn(|l| put(l).time),
            rate: std::array::from_fn(|l| put(l).rate),
            carry_yield: std::array::from_fn(|l| put(l).carry_yield),
            deviation: ZERO,
            inverse: ZERO,
            drift: ZERO,
            top: std::array::from_fn(|l| at_expiry(put(l).rate, put(l).carry_yield)),
            log_top: ZERO,
            pays: puts.iter().any(|p| p.carry_yield != 0.0),
            nodes: Vec::with_capacity(scheme.roots.len()),
            heights: vec![ZERO; scheme.roots.len()],
            interest: Vec::new(),
            dividend: Vec::new(),
            sweeps: [scheme.sweeps; WIDTH],
            moved: [f64::INFINITY; WIDTH],
        };
        let vol: Lanes = std::array::from_fn(|l| put(l).vol);
        let mut root_time = ZERO;
        for l in 0..WIDTH {
            root_time[l] = e.time[l].sqrt();
            e.deviation[l] = vol[l] * root_time[l];
            e.inverse[l] = 1.0 / e.deviation[l];
            e.drift[l] = (e.rate[l] - e.carry_yield[l]) * e.time[l];
            e.log_top[l] = ln(e.top[l]);
        }
        e.interest = grown(&e.rate, &e.time, scheme);
        if e.pays {
            e.dividend = grown(&e.carry_yield, &e.time, scheme);
        }
        for root in &scheme.roots {
            let value = guess(root * root, &e.time, &e.rate, &e.carry_yield, &vol, &e.top);
            let pasting: Lanes = std::array::from_fn(|l| {
                f64::from(u8::from(put(l).pull * root * root_time[l] < 0.5))
            });
            for (sweeps, pasting) in e.sweeps.iter_mut().zip(pasting) {
                if pasting == 0.0 {
                    // System B gains less with each sweep.
                    *sweeps = 3 * scheme.sweeps;
                }
            }
            e.nodes.push(Node {
                value,
                log: ZERO,
                pasting,
                matching: pasting.contains(&0.0),
            });
        }
        e.measure();
        e
    }

    /// Logarithms and heights of the boundary.
    #[inline(always)]
    fn measure(&mut self) {
        for (node, height) in self.nodes.iter_mut().zip(&mut self.heights) {
            let value = node.value;
            let (mut log, mut square) = ([0.0; WIDTH], [0.0; WIDTH]);
            for l in 0..WIDTH {
                log[l] = ln(value[l] / self.top[l]);
                square[l] = log[l] * log[l];
            }
            (node.log, *height) = (log, square);
        }
    }

    /// One fixed-point step of every node from the same boundary, of the lanes that still move;
    /// false if none did.
    #[inline(always)]
    fn sweep(&mut self, sweep: usize, scheme: &Scheme) -> bool {
        let goes: [bool; WIDTH] =
            std::array::from_fn(|l| sweep < self.sweeps[l] && self.moved[l] > scheme.tolerance);
        if !goes.contains(&true) {
            return false;
        }
        let mut moves = [0.0; WIDTH];
        for (i, root) in scheme.roots.iter().enumerate() {
            let (above, under) = match (self.nodes[i].matching, self.pays) {
                (false, false) => self.gather::<false, false>(i, scheme),
                (false, true) => self.gather::<false, true>(i, scheme),
                (true, false) => self.gather::<true, false>(i, scheme),
                (true, true) => self.gather::<true, true>(i, scheme),
            };
            let next = self.step(i, *root, &above, &under);
            let value = &mut self.nodes[i].value;
            for l in 0..WIDTH {
                if goes[l] {
                    moves[l] = max((next[l] - value[l]).abs(), moves[l]);
                    value[l] = next[l];
                }
            }
        }
        self.moved = moves;
        self.measure();
        true
    }

    /// The two integrals of one node, both times σ√T/T: cash above, the underlying under the line.
    #[inline(always)]
    fn gather<const MATCHING: bool, const PAYS: bool>(
        &self,
        i: usize,
        scheme: &Scheme,
    ) -> (Lanes, Lanes) {
        let nodes = scheme.roots.len();
        let (log, pasting) = (twice(&self.nodes[i].log), twice(&self.nodes[i].pasting));
        let (drift, inverse, deviation) = (
            twice(&self.drift),
            twice(&self.inverse),
            twice(&self.deviation),
        );
        let (mut above, mut under) = ([0.0; 2 * WIDTH], [0.0; 2 * WIDTH]);
        for j in i * scheme.pairs..(i + 1) * scheme.pairs {
            let p = scheme.boundary[j];
            let height = read(
                &scheme.boundary_weights[j * nodes..][..nodes],
                &self.heights,
            );
            let interest = self.interest[j];
            let dividend = if PAYS {
                self.dividend[j]
            } else {
                [0.0; 2 * WIDTH]
            };
            for l in 0..2 * WIDTH {
                let d = (log[l] + max(height[l], 0.0).sqrt() + drift[l] * p.left[l])
                    * inverse[l]
                    * p.inverse[l];
                let half = 0.5 * deviation[l] * p.root_left[l];
                let minus = d - half;
                let phi = pdf_lane(minus);
                let pasted = p.per_root[l] * phi;
                above[l] += interest[l]
                    * if MATCHING {
                        either(
                            pasting[l],
                            pasted,
                            deviation[l] * p.per_time[l] * cdf_with(minus, phi),
                        )
                    } else {
                        pasted
                    };
                if PAYS {
                    let plus = d + half;
                    let phi = pdf_lane(plus);
                    let held = deviation[l] * p.per_time[l] * cdf_with(plus, phi);
                    let pasted = p.per_root[l] * phi;
                    under[l] += dividend[l]
                        * (held
                            + if MATCHING {
                                either(pasting[l], pasted, 0.0)
                            } else {
                                pasted
                            });
                }
            }
        }
        (halves(&above), halves(&under))
    }

    /// The next boundary of a node from its two integrals.
    #[inline(always)]
    fn step(&self, i: usize, root: f64, above: &Lanes, under: &Lanes) -> Lanes {
        let node = self.nodes[i];
        let mut next = [0.0; WIDTH];
        for l in 0..WIDTH {
            let drift = self.drift[l] * root * root;
            let deviation = self.deviation[l] * root;
            let minus = (node.log[l] + self.log_top[l] + drift) / deviation - 0.5 * deviation;
            let plus = minus + deviation;
            let (phi_minus, phi_plus) = (pdf_lane(minus), pdf_lane(plus));
            let scale = self.time[l] * self.inverse[l];
            let cash = either(
                node.pasting[l],
                phi_minus / deviation,
                cdf_with(minus, phi_minus),
            );
            let held =
                cdf_with(plus, phi_plus) + either(node.pasting[l], phi_plus / deviation, 0.0);
            let b = exp(-drift) * (cash + above[l] * scale) / (held + under[l] * scale);
            // A step out of the domain keeps the previous value: the iteration stays defined.
            let b = if b > 0.0 { b } else { node.value[l] };
            let b = if b < f64::INFINITY { b } else { node.value[l] };
            next[l] = min(b, self.top[l]);
        }
        next
    }

    /// What the value integral needs of the boundary.
    #[inline(always)]
    fn finish(self, scheme: &'static Scheme) -> Boundaries {
        let (mut discount, mut carry) = ([0.0; WIDTH], [0.0; WIDTH]);
        for l in 0..WIDTH {
            discount[l] = exp(-self.rate[l] * self.time[l]);
            carry[l] = exp(-self.carry_yield[l] * self.time[l]);
        }
        let curve = Curve {
            time: self.time,
            rate: self.rate,
            carry_yield: self.carry_yield,
            log_top: self.log_top,
            heights: self.heights,
        };
        let strips = curve.strips(
            &self.drift,
            &self.deviation,
            &scheme.value,
            &scheme.value_weights,
        );
        Boundaries {
            now: self.nodes[0].value,
            drift: self.drift,
            deviation: self.deviation,
            discount,
            carry,
            strips,
            pays: self.pays,
            scheme,
            curve,
            near: OnceLock::new(),
        }
    }
}

impl Curve {
    /// Points of the value integral, by twos. `drift` is (r−q)T, `deviation` σ√T.
    #[inline(always)]
    fn strips(
        &self,
        drift: &Lanes,
        deviation: &Lanes,
        points: &[Point],
        weights: &[[f64; 2]],
    ) -> Vec<Strip> {
        const ZERO: Pair = [0.0; 2 * WIDTH];
        let nodes = self.heights.len();
        let (time, rate, carry_yield) = (
            twice(&self.time),
            twice(&self.rate),
            twice(&self.carry_yield),
        );
        let (drift, deviation, log_top) = (twice(drift), twice(deviation), twice(&self.log_top));
        let inverse: Pair = std::array::from_fn(|l| 1.0 / deviation[l]);
        let mut strips = Vec::with_capacity(points.len());
        for (j, p) in points.iter().enumerate() {
            let height = read(&weights[j * nodes..][..nodes], &self.heights);
            let mut s = Strip {
                shift: ZERO,
                inverse: ZERO,
                half: ZERO,
                interest: ZERO,
                dividend: ZERO,
            };
            for l in 0..2 * WIDTH {
                s.shift[l] = log_top[l] - max(height[l], 0.0).sqrt() - drift[l] * p.left[l];
                s.inverse[l] = inverse[l] * p.inverse[l];
                s.half[l] = 0.5 * deviation[l] * p.root_left[l];
                s.interest[l] =
                    rate[l] * exp(-rate[l] * time[l] * p.left[l]) * time[l] * p.per_time[l];
                s.dividend[l] = carry_yield[l]
                    * exp(-carry_yield[l] * time[l] * p.left[l])
                    * time[l]
                    * p.per_time[l];
            }
            strips.push(s);
        }
        strips
    }
}

/// `a` where the flag is 1, `b` where it is 0.
#[inline(always)]
fn either(flag: f64, a: f64, b: f64) -> f64 {
    if flag > 0.5 { a } else { b }
}

/// rate·e^{rate·u} at every point of every node.
#[inline(always)]
fn grown(rate: &Lanes, time: &Lanes, scheme: &Scheme) -> Vec<Pair> {
    let (rate, time) = (twice(rate), twice(time));
    let mut out = Vec::with_capacity(scheme.boundary.len());
    for p in &scheme.boundary {
        let mut here = [0.0; 2 * WIDTH];
        for l in 0..2 * WIDTH {
            here[l] = rate[l] * exp(rate[l] * time[l] * p.until[l]);
        }
        out.push(here);
    }
    out
}

/// H at a pair of points: the interpolant of the collocation values.
#[inline(always)]
fn read(weights: &[[f64; 2]], heights: &[Lanes]) -> Pair {
    let (mut one, mut other) = ([0.0; WIDTH], [0.0; WIDTH]);
    for (weight, height) in weights.iter().zip(heights) {
        for l in 0..WIDTH {
            one[l] = weight[0].mul_add(height[l], one[l]);
            other[l] = weight[1].mul_add(height[l], other[l]);
        }
    }
    std::array::from_fn(|l| if l < WIDTH { one[l] } else { other[l - WIDTH] })
}

/// B(0+): where the boundary ends at expiry.
fn at_expiry(rate: f64, carry_yield: f64) -> f64 {
    if carry_yield > rate {
        rate / carry_yield
    } else {
        1.0
    }
}

/// Newton's steps on the QD+ equation.
const GUESS_STEPS: usize = 4;

/// The QD+ boundary of each lane at τ = `share`·T.
#[inline(always)]
fn guess(
    share: f64,
    time: &Lanes,
    rate: &Lanes,
    carry_yield: &Lanes,
    vol: &Lanes,
    top: &Lanes,
) -> Lanes {
    let (time, rate, carry_yield, vol, top) = (*time, *rate, *carry_yield, *vol, *top);
    let (mut b, mut least, mut most) = ([0.0; WIDTH], [0.0; WIDTH], [0.0; WIDTH]);
    let (mut discount, mut carry) = ([0.0; WIDTH], [0.0; WIDTH]);
    let (mut lambda, mut outer, mut inner) = ([0.0; WIDTH], [0.0; WIDTH], [0.0; WIDTH]);
    for l in 0..WIDTH {
        let (t, r, q, variance) = (time[l] * share, rate[l], carry_yield[l], vol[l] * vol[l]);
        let (deviation, drift) = (vol[l] * t.sqrt(), (r - q) * t);
        discount[l] = exp(-r * t);
        carry[l] = exp(-q * t);
        // 1 − e^{−rt} with all its digits.
        let x = r * t;
        let h = if x < 0.03 {
            x * (1.0 - x / 2.0 * (1.0 - x / 3.0 * (1.0 - x / 4.0 * (1.0 - x / 5.0))))
        } else {
            1.0 - discount[l]
        };
        let (alpha, less) = (2.0 * r / variance, 2.0 * (r - q) / variance - 1.0);
        let root = (less * less + 4.0 * alpha / h).sqrt();
        lambda[l] = -0.5 * (less + root);
        // 2λ + ω − 1 is −root.
        outer[l] = -(1.0 - h) * alpha / root;
        inner[l] = 1.0 / h - alpha / (h * h * root * root);
        // Between expiry and for ever, or the asymptote near expiry if that is lower.
        let z = -0.5 * (less + (less * less + 4.0 * alpha).sqrt());
        let perpetual = z / (z - 1.0);
        let long = perpetual
            + (top[l] - perpetual) * exp(min((drift - 2.0 * deviation) / (1.0 - perpetual), 0.0));
        let apart = 1.0 - min(q / r, 1.0);
        // A yield below zero only adds to what is gained by exercise: σ²/(16πt(r−q)²).
        let pull = if q < 0.0 {
            1.0 / ((r - q) * (r - q))
        } else {
            apart * apart / (r * r)
        };
        let bend = ln(1.4 + variance / (16.0 * std::f64::consts::PI * t) * pull);
        least[l] = perpetual;
        most[l] = top[l] * (1.0 - 1e-10);
        b[l] = max(
            min(min(long, top[l] * exp(-deviation * bend.sqrt())), most[l]),
            perpetual,
        );
    }
    for _ in 0..GUESS_STEPS {
        for l in 0..WIDTH {
            let (t, r, q) = (time[l] * share, rate[l], carry_yield[l]);
            let root_time = t.sqrt();
            let (deviation, drift, decay) =
                (vol[l] * root_time, (r - q) * t, vol[l] / (2.0 * root_time));
            let d1 = (ln(b[l]) + drift) / deviation + 0.5 * deviation;
            let d2 = d1 - deviation;
            let density = pdf_lane(d1);
            let upper = carry[l] * cdf_with(-d1, density);
            let cash = discount[l] * cdf_with(-d2, pdf_lane(d2));
            let asset = b[l] * upper;
            let gap = 1.0 - b[l] - (cash - asset);
            let theta = r * cash - q * asset - b[l] * carry[l] * density * decay;
            let per_rate = 1.0 / (discount[l] * r);
            let f = b[l] - asset + lambda[l] * gap - outer[l] * (inner[l] * gap - theta * per_rate);
            let d_cash = -carry[l] * density / deviation;
            let d_asset = upper + d_cash;
            let d_gap = upper - 1.0;
            let d_theta =
                r * d_cash - q * d_asset - decay * carry[l] * density * (1.0 - d1 / deviation);
            let df = 1.0 - d_asset + lambda[l] * d_gap
                - outer[l] * (inner[l] * d_gap - d_theta * per_rate);
            let next = b[l] - f / df;
            let next = if next.abs() < f64::INFINITY {
                next
            } else {
                b[l]
            };
            b[l] = max(min(next, most[l]), least[l]);
        }
    }
    b
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::model::Accuracy;

    /// Boundary of a put K=100, r=.05, q=.02, σ=.30 by days: computed with an independent
    /// general-purpose library and a second method, good to 1e-3.
    #[test]
    fn boundary_matches_an_independent_computation() {
        let scheme = Accuracy::Reference.scheme(false);
        let table = [
            (1.0, 95.7918),
            (7.0, 90.6513),
            (30.0, 83.8943),
            (90.0, 76.8028),
            (180.0, 71.5681),
            (365.0, 65.8975),
        ];
        let puts = table.map(|(days, _)| Put {
            time: days / 365.0,
            rate: 0.05,
            carry_yield: 0.02,
            vol: 0.30,
            pull: 0.1,
        });
        let solved = Boundaries::solve(&puts, scheme);
        for (lane, (days, want)) in table.into_iter().enumerate() {
            let got = 100.0 * solved.now[lane];
            assert!((got - want).abs() < 1e-3, "{days} days: {got} {want}");
        }
    }
}
