//! Where the boundary of `american` is collocated and its integrals are taken: everything that
//! depends on no option.
//!
//! Collocation at Chebyshev points in √τ; Gauss–Legendre in the angle θ with τ − u = τ sin²θ. The
//! points are fixed fractions of each τ, so reading the interpolant at them is one fixed matrix.

use std::f64::consts::FRAC_PI_2;

use crate::quadrature::gauss_legendre;

/// Options side by side in `american`, and their quadrature points by twos: enough independent work
/// to keep the registers busy.
pub(crate) const WIDTH: usize = 8;
pub(crate) type Lanes = [f64; WIDTH];
/// The first half is one quadrature point, the second the next.
pub(crate) type Pair = [f64; 2 * WIDTH];

/// Each lane twice.
#[inline(always)]
pub(crate) fn twice(lanes: &Lanes) -> Pair {
    std::array::from_fn(|l| lanes[l % WIDTH])
}

/// The sum of both halves.
#[inline(always)]
pub(crate) fn halves(pair: &Pair) -> Lanes {
    std::array::from_fn(|l| pair[l] + pair[l + WIDTH])
}

/// Two quadrature points of the boundary equation at one collocation point, in units of T = 1 and σ
/// = 1, the same in each lane.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Point {
    /// τ − u.
    pub left: Pair,
    /// u, the time at which the integrand is taken.
    pub until: Pair,
    /// √(τ−u), which turns a volatility into a deviation.
    pub root_left: Pair,
    /// 1/√(τ−u), kept so that no lane divides.
    pub inverse: Pair,
    /// 2√τ cosθ times the weight: system A.
    pub per_root: Pair,
    /// 2τ sinθ cosθ times the weight: system B, and the dividend's part of both.
    pub per_time: Pair,
}

/// How finely the boundary and the value integral are resolved.
#[derive(Debug)]
pub(crate) struct Scheme {
    /// Most fixed-point sweeps.
    pub sweeps: usize,
    /// Sweeps end when the boundary moves less than this (in strikes).
    pub tolerance: f64,
    /// √(τ/T) of each collocation point but the one at expiry; the first is 1.
    pub roots: Vec<f64>,
    /// Pairs of quadrature points of the boundary equation at each collocation point.
    pub pairs: usize,
    /// Place i·pairs + j is pair j of collocation point i.
    pub boundary: Vec<Point>,
    /// What the interpolant takes of the collocation values at each of them: as many weights a pair
    /// as there are collocation points.
    pub boundary_weights: Vec<[f64; 2]>,
    /// Points of the value integral, at τ = T.
    pub value: Vec<Point>,
    /// What the interpolant takes there.
    pub value_weights: Vec<[f64; 2]>,
    /// Spots nearer to the boundary than so many σ√T need finer points for delta and gamma.
    pub near_below: f64,
    /// Points of the value integral that crowd where τ − u is small.
    pub near: Vec<Point>,
    /// What the interpolant takes there.
    pub near_weights: Vec<[f64; 2]>,
}

/// Ends of the panels of the angle θ that serve spots near the boundary, each three times the last:
/// the integrand's peak, at θ about as large as the distance in σ√T, lies well inside one of them.
const PANELS: [f64; 7] = [0.0, 0.01, 0.03, 0.09, 0.27, 0.81, FRAC_PI_2];
/// Quadrature points of each panel.
const PANEL_POINTS: usize = 12;

impl Scheme {
    /// `nodes` collocation points besides the one at expiry; the numbers of quadrature points are
    /// even.
    pub(crate) fn new(
        nodes: usize,
        boundary_points: usize,
        sweeps: usize,
        tolerance: f64,
        value_points: usize,
        near_below: f64,
    ) -> Scheme {
        let chebyshev: Vec<f64> = (0..=nodes)
            .map(|i| (i as f64 * std::f64::consts::PI / nodes as f64).cos())
            .collect();
        let roots: Vec<f64> = chebyshev[..nodes].iter().map(|z| (1.0 + z) / 2.0).collect();
        // The value at expiry is zero: its weight is left out.
        let weights = |p: &Point| {
            let [one, other] = [p.until[0], p.until[WIDTH]].map(|until| {
                let mut row = vec![0.0; nodes + 1];
                interpolation_weights(&chebyshev, 2.0 * until.sqrt() - 1.0, &mut row);
                row
            });
            (0..nodes).map(|k| [one[k], other[k]]).collect::<Vec<_>>()
        };
        let boundary: Vec<Point> = roots
            .iter()
            .flat_map(|root| points(*root, &angles(0.0, FRAC_PI_2, boundary_points)))
            .collect();
        let value = points(1.0, &angles(0.0, FRAC_PI_2, value_points));
        let panels: Vec<(f64, f64)> = PANELS
            .windows(2)
            .flat_map(|ends| angles(ends[0], ends[1], PANEL_POINTS))
            .collect();
        let near = points(1.0, &panels);
        Scheme {
            sweeps,
            tolerance,
            pairs: boundary_points / 2,
            boundary_weights: boundary.iter().flat_map(weights).collect(),
            boundary,
            value_weights: value.iter().flat_map(weights).collect(),
            value,
            near_below,
            near_weights: near.iter().flat_map(weights).collect(),
            near,
            roots,
        }
    }
}

/// Gauss–Legendre over θ from `low` to `high`: angles and their weights.
fn angles(low: f64, high: f64, count: usize) -> Vec<(f64, f64)> {
    let half = (high - low) / 2.0;
    gauss_legendre(count)
        .into_iter()
        .map(|(y, w)| (low + (1.0 + y) * half, w * half))
        .collect()
}

/// Quadrature points at τ = `root`² from angles and their weights, by twos.
fn points(root: f64, angles: &[(f64, f64)]) -> Vec<Point> {
    let angles: Vec<(f64, f64, f64)> = angles
        .iter()
        .map(|(angle, weight)| {
            let (sin, cos) = angle.sin_cos();
            (sin, cos, *weight)
        })
        .collect();
    let (pairs, rest) = angles.as_chunks::<2>();
    assert!(rest.is_empty(), "an even number of points");
    let pair = |two: &[(f64, f64, f64); 2]| {
        let each = |f: &dyn Fn(f64, f64, f64) -> f64| -> Pair {
            std::array::from_fn(|l| {
                let (sin, cos, weight) = two[l / WIDTH];
                f(sin, cos, weight)
            })
        };
        Point {
            left: each(&|sin, _, _| (root * sin).powi(2)),
            until: each(&|_, cos, _| (root * cos).powi(2)),
            root_left: each(&|sin, _, _| root * sin),
            inverse: each(&|sin, _, _| 1.0 / (root * sin)),
            per_root: each(&|_, cos, weight| 2.0 * root * cos * weight),
            per_time: each(&|sin, cos, weight| 2.0 * root * root * sin * cos * weight),
        }
    };
    pairs.iter().map(pair).collect()
}

/// What the polynomial through points of Chebyshev's second kind takes of each of them at `z`
/// (barycentric formula; Berrut & Trefethen,
/// *SIAM Review* 46 (2004) 501–517, section 5).
pub(crate) fn interpolation_weights(points: &[f64], z: f64, out: &mut [f64]) {
    if let Some(hit) = points.iter().position(|point| (point - z).abs() < 1e-15) {
        out.fill(0.0);
        out[hit] = 1.0;
        return;
    }
    let last = points.len() - 1;
    for (i, (pull, point)) in out.iter_mut().zip(points).enumerate() {
        let weight = if i == 0 || i == last { 0.5 } else { 1.0 };
        *pull = weight * if i % 2 == 0 { 1.0 } else { -1.0 } / (z - point);
    }
    let sum: f64 = out.iter().sum();
    for pull in out {
        *pull /= sum;
    }
}
