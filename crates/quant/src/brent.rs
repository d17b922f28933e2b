//! Root of a continuous function on a bracket.
//!
//! Brent's method (R. P. Brent, *Algorithms for Minimization without Derivatives*, 1973, ch. 4):
//! inverse quadratic interpolation and secant steps, guarded by bisection, so it always ends.

use thiserror::Error;

/// A root, with what it took.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Root {
    /// Where the function crosses zero.
    pub x: f64,
    /// Function evaluations spent.
    pub evaluations: u32,
}

/// Why no root was returned.
#[derive(Debug, Clone, Copy, PartialEq, Error)]
pub enum RootError {
    /// The function has the same sign at both ends.
    #[error("no sign change between {0} and {1}")]
    NotBracketed(f64, f64),
    /// The function gave NaN at this point.
    #[error("the function is not a number at {0}")]
    NotANumber(f64),
    /// Still wider than asked for after the allowed evaluations; the last bracket.
    #[error("no convergence within the allowed steps; last bracket {0} to {1}")]
    NotConverged(f64, f64),
}

/// Finds x in `[lo, hi]` with f(x) = 0; `tolerance` is absolute, on x.
///
/// ```
/// // The root of two.
/// let root = quant::find_root(|x| x * x - 2.0, 0.0, 2.0, 1e-12)?;
/// assert!((root.x - 2.0_f64.sqrt()).abs() < 1e-11);
/// // Both ends on one side of zero enclose nothing.
/// assert!(quant::find_root(|x| x * x - 2.0, 2.0, 3.0, 1e-12).is_err());
/// # Ok::<(), quant::RootError>(())
/// ```
///
/// # Errors
/// No change of sign between the ends, or no convergence.
pub fn find_root(
    mut f: impl FnMut(f64) -> f64,
    lo: f64,
    hi: f64,
    tolerance: f64,
) -> Result<Root, RootError> {
    let (mut a, mut b) = (lo, hi);
    let (mut fa, mut fb) = (f(a), f(b));
    let mut evaluations = 2;
    if fa.is_nan() {
        return Err(RootError::NotANumber(a));
    }
    if fb.is_nan() {
        return Err(RootError::NotANumber(b));
    }
    if fa == 0.0 {
        return Ok(Root { x: a, evaluations });
    }
    if fb == 0.0 {
        return Ok(Root { x: b, evaluations });
    }
    if (fa > 0.0) == (fb > 0.0) {
        return Err(RootError::NotBracketed(lo, hi));
    }
    let (mut c, mut fc) = (a, fa);
    let mut step = b - a;
    let mut previous = step;
    while evaluations < 200 {
        if fc.abs() < fb.abs() {
            (a, b, c) = (b, c, b);
            (fa, fb, fc) = (fb, fc, fb);
        }
        let close = 2.0 * f64::EPSILON * b.abs() + 0.5 * tolerance;
        let half = 0.5 * (c - b);
        if half.abs() <= close || fb == 0.0 {
            return Ok(Root { x: b, evaluations });
        }
        if previous.abs() >= close && fa.abs() > fb.abs() {
            let s = fb / fa;
            let (mut p, mut q) = if a == c {
                (2.0 * half * s, 1.0 - s)
            } else {
                let (q, r) = (fa / fc, fb / fc);
                (
                    s * (2.0 * half * q * (q - r) - (b - a) * (r - 1.0)),
                    (q - 1.0) * (r - 1.0) * (s - 1.0),
                )
            };
            if p > 0.0 {
                q = -q;
            }
            p = p.abs();
            if 2.0 * p < (3.0 * half * q - (close * q).abs()).min((previous * q).abs()) {
                previous = step;
                step = p / q;
            } else {
                step = half;
                previous = half;
            }
        } else {
            step = half;
            previous = half;
        }
        (a, fa) = (b, fb);
        b += if step.abs() > close {
            step
        } else {
            close.copysign(half)
        };
        fb = f(b);
        evaluations += 1;
        if fb.is_nan() {
            return Err(RootError::NotANumber(b));
        }
        if (fb > 0.0) == (fc > 0.0) {
            (c, fc) = (a, fa);
            step = b - a;
            previous = step;
        }
    }
    Err(RootError::NotConverged(b.min(c), b.max(c)))
}
