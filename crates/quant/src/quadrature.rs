//! Gauss–Legendre nodes and weights on [−1, 1].
//!
//! Roots of P_n by Newton's method from the Chebyshev-like guess cos(π(i−¼)/(n+½)); weights
//! 2/((1−x²)P'_n(x)²). Source: Abramowitz & Stegun 25.4.29–30. Good to machine precision for the
//! orders used here (≤ 128).

use std::f64::consts::PI;

/// `(node, weight)` pairs, ascending.
pub(crate) fn gauss_legendre(n: usize) -> Vec<(f64, f64)> {
    let order = n as f64;
    let mut out = Vec::with_capacity(n);
    for i in (1..=n).rev() {
        let mut x = (PI * (i as f64 - 0.25) / (order + 0.5)).cos();
        let mut slope = 1.0;
        for _ in 0..100 {
            let (mut p0, mut p1) = (1.0, x);
            for k in 2..=n {
                let k = k as f64;
                (p0, p1) = (p1, ((2.0 * k - 1.0) * x * p1 - (k - 1.0) * p0) / k);
            }
            slope = order * (x * p1 - p0) / (x * x - 1.0);
            let step = p1 / slope;
            x -= step;
            if step.abs() < 1e-15 {
                break;
            }
        }
        out.push((x, 2.0 / ((1.0 - x * x) * slope * slope)));
    }
    out
}

#[cfg(test)]
mod tests {
    use super::gauss_legendre;

    #[test]
    fn polynomials_up_to_degree_2n_minus_1_are_integrated_exactly() {
        for n in [2_usize, 5, 12, 32] {
            let rule = gauss_legendre(n);
            for degree in 0..2 * n {
                let got: f64 = rule.iter().map(|(x, w)| w * x.powi(degree as i32)).sum();
                let want = if degree % 2 == 0 {
                    2.0 / (degree as f64 + 1.0)
                } else {
                    0.0
                };
                assert!(
                    (got - want).abs() < 1e-14,
                    "n {n} degree {degree}: {got} {want}"
                );
            }
        }
    }
}
