//! Where the boundary of `american` is collocated and its integrals are taken: everything that depends on no option.
//!
//! Collocation at Chebyshev points in √τ; Gauss–Legendre in the angle θ with τ − u = τ sin²θ. The points are fixed fractions of
//! each τ, so reading the interpolant at them is one fixed matrix.

use std::f64::consts::FRAC_PI_4;

use crate::quadrature::gauss_legendre;

/// One quadrature point in the angle θ ∈ (0, π/2).
#[derive(Debug, Clone, Copy)]
pub(crate) struct Angle {
    /// √((τ−u)/τ).
    pub sin: f64,
    /// √(u/τ).
    pub cos: f64,
    /// Weight, Jacobian of the interval included.
    pub weight: f64,
}

fn angles(points: usize) -> Vec<Angle> {
    let rule = gauss_legendre(points);
    rule.into_iter()
        .map(|(y, w)| {
            let (sin, cos) = ((1.0 + y) * FRAC_PI_4).sin_cos();
            Angle { sin, cos, weight: w * FRAC_PI_4 }
        })
        .collect()
}

/// The boundary equation's points, node by node, in units of T = 1 and σ = 1.
#[derive(Debug)]
pub(crate) struct Unscaled {
    /// τ − u.
    pub left: Vec<f64>,
    /// u.
    pub until: Vec<f64>,
    /// √(τ−u).
    pub root_left: Vec<f64>,
    /// 1/√(τ−u).
    pub inverse: Vec<f64>,
    /// 2√τ cosθ times the weight: system A.
    pub per_root: Vec<f64>,
    /// 2τ sinθ cosθ times the weight: system B.
    pub per_time: Vec<f64>,
}

impl Unscaled {
    fn new(roots: &[f64], angles: &[Angle]) -> Unscaled {
        let each = |f: fn(f64, &Angle) -> f64| roots.iter().flat_map(|root| angles.iter().map(move |a| f(*root, a))).collect();
        Unscaled {
            left: each(|root, a| (root * a.sin).powi(2)),
            until: each(|root, a| (root * a.cos).powi(2)),
            root_left: each(|root, a| root * a.sin),
            inverse: each(|root, a| 1.0 / (root * a.sin)),
            per_root: each(|root, a| 2.0 * root * a.cos * a.weight),
            per_time: each(|root, a| 2.0 * root * root * a.sin * a.cos * a.weight),
        }
    }
}

/// How finely the boundary and the value integral are resolved.
#[derive(Debug)]
pub(crate) struct Scheme {
    /// Most fixed-point sweeps.
    pub sweeps: usize,
    /// Sweeps end when the boundary moves less than this (in strikes).
    pub tolerance: f64,
    /// √(τ/T) of each collocation point; the first is 1, the last (expiry) 0.
    pub roots: Vec<f64>,
    /// Quadrature points of the boundary equation at each collocation point.
    pub points: usize,
    /// What they are at every point of every node, before time and volatility scale them.
    pub unscaled: Unscaled,
    /// Column k: what the interpolant takes of collocation value k at each point √u = √τᵢ cos θⱼ, place i·points + j.
    pub boundary_columns: Vec<Vec<f64>>,
    /// Quadrature of the value integral.
    pub value: Vec<Angle>,
    /// The same at √u = √T cos θⱼ.
    pub value_columns: Vec<Vec<f64>>,
}

impl Scheme {
    /// `nodes` collocation points besides the one at expiry.
    pub(crate) fn new(nodes: usize, boundary_points: usize, sweeps: usize, tolerance: f64, value_points: usize) -> Scheme {
        let chebyshev: Vec<f64> = (0..=nodes).map(|i| (i as f64 * std::f64::consts::PI / nodes as f64).cos()).collect();
        let roots: Vec<f64> = chebyshev.iter().map(|z| (1.0 + z) / 2.0).collect();
        let (boundary, value) = (angles(boundary_points), angles(value_points));
        let read = |root: f64| interpolation_row(&chebyshev, 2.0 * root - 1.0);
        let columns = |rows: Vec<Vec<f64>>| (0..=nodes).map(|k| rows.iter().map(|row| row[k]).collect()).collect();
        let boundary_columns = columns(roots[..nodes].iter().flat_map(|root| boundary.iter().map(move |a| read(root * a.cos))).collect());
        let value_columns = columns(value.iter().map(|a| read(a.cos)).collect());
        let unscaled = Unscaled::new(&roots[..nodes], &boundary);
        Scheme { sweeps, tolerance, roots, points: boundary.len(), unscaled, boundary_columns, value, value_columns }
    }
}

/// Weights of the polynomial through the Chebyshev points at `z` (barycentric formula; Berrut & Trefethen,
/// *SIAM Review* 46 (2004) 501–517, section 5).
fn interpolation_row(chebyshev: &[f64], z: f64) -> Vec<f64> {
    if let Some(hit) = chebyshev.iter().position(|c| (c - z).abs() < 1e-15) {
        return (0..chebyshev.len()).map(|i| f64::from(u8::from(i == hit))).collect();
    }
    let last = chebyshev.len() - 1;
    let pull = |(i, c): (usize, &f64)| {
        let weight = if i == 0 || i == last { 0.5 } else { 1.0 };
        weight * if i % 2 == 0 { 1.0 } else { -1.0 } / (z - c)
    };
    let pulls: Vec<f64> = chebyshev.iter().enumerate().map(pull).collect();
    let sum: f64 = pulls.iter().sum();
    pulls.into_iter().map(|p| p / sum).collect()
}
