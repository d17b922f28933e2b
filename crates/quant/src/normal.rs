//! The standard normal distribution.
//!
//! φ(x) = e^{−x²/2}/√(2π). Φ(−z) = φ(z)·R(z) for z ≥ 0 with Mills' ratio R(z) = √(π/2)·erfcx(z/√2),
//! erfcx(y) = e^{y²} erfc(y), and (y + 4) erfcx(y) is a polynomial in (y − 4)/(y + 4), which maps
//! [0, ∞) on [−1, 1): Chebyshev's series of the function to degree 22, computed in 40 digits and
//! rearranged in powers (the transformation is M. M. Shepherd & J. G. Laframboise's, "Chebyshev
//! approximation of (1+2x)exp(x²)erfc x in 0 ≤ x < ∞", *Mathematics of Computation* 36 (1981)
//! 249–253). Relative error below 2e-15 from the centre to the far tail (x = −37), checked against
//! another library below.
//!
//! The inverse is Wichura's algorithm AS 241 (PPND16), Applied Statistics 37
//! (1988) 477–484, coefficients from that paper (from memory, proved by the round trip below);
//! relative error about 1e-16, valid on (0, 1).

use std::f64::consts::FRAC_1_SQRT_2;

use crate::lanes::{self, Kernel, exp, horner};

/// Φ(x): the chance that a standard normal is below `x`.
///
/// ```
/// // The two-sided 95 % of every table.
/// assert!((quant::cdf(1.959_963_985) - 0.975).abs() < 1e-9);
/// assert!((quant::cdf(0.0) - 0.5).abs() < 1e-15);
/// ```
pub fn cdf(x: f64) -> f64 {
    struct At(f64);
    impl Kernel for At {
        type Output = f64;
        #[inline(always)]
        fn call(self) -> f64 {
            cdf_lane(self.0)
        }
    }
    lanes::run(At(x))
}

/// φ(x): the standard normal density.
///
/// ```
/// // One over the root of 2π.
/// assert!((quant::pdf(0.0) - 0.398_942_280_4).abs() < 1e-9);
/// ```
pub fn pdf(x: f64) -> f64 {
    (-0.5 * x * x).exp() * FRAC_1_SQRT_2PI
}

/// φ(x) without a branch. The rounding of x² is put back.
#[inline(always)]
pub(crate) fn pdf_lane(x: f64) -> f64 {
    let square = x * x;
    let lost = x.mul_add(x, -square);
    let density = exp(-0.5 * square) * FRAC_1_SQRT_2PI;
    (-0.5 * lost).mul_add(density, density)
}

/// Φ(x) without a branch.
#[inline(always)]
pub(crate) fn cdf_lane(x: f64) -> f64 {
    cdf_with(x, pdf_lane(x))
}

/// Φ(x) where φ(x) is known.
#[inline(always)]
pub(crate) fn cdf_with(x: f64, density: f64) -> f64 {
    let tail = SQRT_HALF_PI * density * erfcx_lane(x.abs() * FRAC_1_SQRT_2);
    if x > 0.0 { 1.0 - tail } else { tail }
}

/// e^{y²} erfc(y) for y ≥ 0.
#[inline(always)]
pub(crate) fn erfcx_lane(y: f64) -> f64 {
    let inverse = 1.0 / (y + 4.0);
    let t = (y - 4.0) * inverse;
    let t2 = t * t;
    t.mul_add(horner(&ERFCX_ODD, t2), horner(&ERFCX_EVEN, t2)) * inverse
}

/// ln Φ(x), kept where Φ itself underflows.
pub(crate) fn log_cdf(x: f64) -> f64 {
    if x > -30.0 {
        return cdf(x).ln();
    }
    // Φ(x) = φ(x)/|x|·(1 − 1/x² + 3/x⁴ − …) (Abramowitz & Stegun 26.2.12); the error here is below
    // 2e-12.
    let y = 1.0 / (x * x);
    -0.5 * x * x + (FRAC_1_SQRT_2PI / -x).ln() + (-y * (1.0 - 3.0 * y * (1.0 - 5.0 * y))).ln_1p()
}

/// c₀ + c₁x + …, where no fused multiplication is at hand.
fn polynomial<const N: usize>(c: &[f64; N], x: f64) -> f64 {
    c.iter().rev().fold(0.0, |sum, c| sum * x + c)
}

/// Φ⁻¹(p) for 0 < p < 1; the infinities at the ends; NaN outside.
///
/// ```
/// assert!((quant::inverse_cdf(0.975) - 1.959_963_985).abs() < 1e-8);
/// // It undoes the cumulative law.
/// assert!((quant::cdf(quant::inverse_cdf(0.016)) - 0.016).abs() < 1e-12);
/// ```
pub fn inverse_cdf(p: f64) -> f64 {
    if !(0.0..=1.0).contains(&p) {
        return f64::NAN;
    }
    let q = p - 0.5;
    if q.abs() <= 0.425 {
        let r = 0.180625 - q * q;
        return q * polynomial(&CENTRE_NUM, r) / polynomial(&CENTRE_DEN, r);
    }
    let tail = if q < 0.0 { p } else { 1.0 - p };
    if tail == 0.0 {
        return if q < 0.0 {
            f64::NEG_INFINITY
        } else {
            f64::INFINITY
        };
    }
    let r = (-libm::log(tail)).sqrt();
    let x = if r <= 5.0 {
        polynomial(&MIDDLE_NUM, r - 1.6) / polynomial(&MIDDLE_DEN, r - 1.6)
    } else {
        polynomial(&FAR_NUM, r - 5.0) / polynomial(&FAR_DEN, r - 5.0)
    };
    if q < 0.0 { -x } else { x }
}

/// √(π/2), which scales erfcx to a ratio of normal tail and density.
const SQRT_HALF_PI: f64 = 1.253_314_137_315_500_3;
pub(crate) const FRAC_1_SQRT_2PI: f64 = 0.398_942_280_401_432_7;
/// Of (y + 4) erfcx(y) in t = (y − 4)/(y + 4): the even powers and the odd.
#[rustfmt::skip]
const ERFCX_EVEN: [f64; 12] = [1.095995661000491, 0.7732087022652306, 0.33085158787831587, 0.07638151490371081, 0.006112055708386392,
    -0.00045505297165692805, -3.6342038149469713e-06, 4.692383913754639e-06, -8.436516120561793e-07, 1.225288207064525e-07,
    -1.527528889990648e-08, 1.2073816594065525e-09];
#[rustfmt::skip]
const ERFCX_ODD: [f64; 11] = [-0.9765487290808824, -0.5408538313131976, -0.1740109372408923, -0.026370053329181024, -0.0002809589359391201,
    0.0001768130806560407, -1.8861473378981353e-05, 1.4249464173304702e-06, -7.596899328669503e-08, 8.238240856147602e-10,
    2.654454508348017e-10];
#[rustfmt::skip]
const CENTRE_NUM: [f64; 8] = [3.3871328727963666080e0, 1.3314166789178437745e2, 1.9715909503065514427e3, 1.3731693765509461125e4,
    4.5921953931549871457e4, 6.7265770927008700853e4, 3.3430575583588128105e4, 2.5090809287301226727e3];
#[rustfmt::skip]
const CENTRE_DEN: [f64; 8] = [1.0, 4.2313330701600911252e1, 6.8718700749205790830e2, 5.3941960214247511077e3,
    2.1213794301586595867e4, 3.9307895800092710610e4, 2.8729085735721942674e4, 5.2264952788528545610e3];
#[rustfmt::skip]
const MIDDLE_NUM: [f64; 8] = [1.42343711074968357734e0, 4.63033784615654529590e0, 5.76949722146069140550e0, 3.64784832476320460504e0,
    1.27045825245236838258e0, 2.41780725177450611770e-1, 2.27238449892691845833e-2, 7.74545014278341407640e-4];
#[rustfmt::skip]
const MIDDLE_DEN: [f64; 8] = [1.0, 2.05319162663775882187e0, 1.67638483018380384940e0, 6.89767334985100004550e-1,
    1.48103976427480074590e-1, 1.51986665636164571966e-2, 5.47593808499534494600e-4, 1.05075007164441684324e-9];
#[rustfmt::skip]
const FAR_NUM: [f64; 8] = [6.65790464350110377720e0, 5.46378491116411436990e0, 1.78482653991729133580e0, 2.96560571828504891230e-1,
    2.65321895265761230930e-2, 1.24266094738807843860e-3, 2.71155556874348757815e-5, 2.01033439929228813265e-7];
#[rustfmt::skip]
const FAR_DEN: [f64; 8] = [1.0, 5.99832206555887937690e-1, 1.36929880922735805310e-1, 1.48753612908506148525e-2,
    7.86869131145613259100e-4, 1.84631831751005468180e-5, 1.42151175831644588870e-7, 2.04426310338993978564e-15];

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn agrees_with_another_library_to_the_last_digits() {
        for i in -3700..=3700 {
            let x = f64::from(i) / 100.0 + 0.0037;
            let want = 0.5 * libm::erfc(-x * FRAC_1_SQRT_2);
            // The other library's argument x/√2 is rounded: that costs it x²/2 roundings.
            assert!(
                (cdf(x) - want).abs() <= (2e-15 + 2e-16 * x * x) * want,
                "{x}: {} {want}",
                cdf(x)
            );
            let (power, size) = (x * 18.0, x.abs() * 1e3);
            assert!((exp(power) / power.exp() - 1.0).abs() < 1e-15, "{power}");
            assert!(
                (lanes::ln(size) - size.ln()).abs() <= 1e-15 * size.ln().abs(),
                "{size}"
            );
            let near = 1.0 + x * 1e-3;
            assert!((lanes::ln(near) / near.ln() - 1.0).abs() < 1e-15, "{near}");
        }
    }

    #[test]
    fn inverse_undoes_the_distribution_from_far_tail_to_centre() {
        for i in -370..=80 {
            let x = f64::from(i) / 10.0;
            let back = inverse_cdf(cdf(x));
            // Above zero the distance of cdf to 1 carries the digits: fewer are left there.
            let tolerance = if x <= 0.0 {
                1e-13 * x.abs().max(1.0)
            } else {
                2e-16 / pdf(x) + 1e-13
            };
            assert!((back - x).abs() <= tolerance, "{x}: {back}");
        }
        assert_eq!(inverse_cdf(0.0), f64::NEG_INFINITY);
        assert!(inverse_cdf(1.5).is_nan());
    }
}
