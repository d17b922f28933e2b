//! Elementary functions without a branch or a call, and the doorway to the processor's widest
//! registers.
//!
//! Everything here is `#[inline(always)]`: a loop over slices that calls these functions inside a
//! [`Kernel`] becomes vector instructions of whatever machine it runs on. All fused multiplications
//! are written as such and nothing is reordered, so every machine and every width gives the same
//! bits; one without such an instruction is only slower.
//!
//! Relative errors, tested in `normal.rs`: e^x and ln x 1e-15. Range reduction as in J.-M. Muller,
//! *Elementary Functions*, 3rd ed. (2016), ch. 11; series of Taylor for e^r, |r| ≤ ln 2/2, and of 2
//! artanh f for the logarithm, |f| ≤ 0.1716.

use pulp::{Arch, NullaryFnOnce};

/// Work to be compiled once for each width of register: implement it with `#[inline(always)]` on
/// `call`.
pub(crate) use pulp::NullaryFnOnce as Kernel;

/// Runs a kernel on the widest registers of this machine.
pub(crate) fn run<K: NullaryFnOnce>(kernel: K) -> K::Output {
    Arch::new().dispatch(kernel)
}

/// c₀ + c₁x + c₂x² + …
#[inline(always)]
pub(crate) fn horner<const N: usize>(c: &[f64; N], x: f64) -> f64 {
    let mut sum = c[N - 1];
    for i in (0..N - 1).rev() {
        sum = sum.mul_add(x, c[i]);
    }
    sum
}

/// e^x; below x = −708 the value there, above 709 the value there.
#[inline(always)]
pub(crate) fn exp(x: f64) -> f64 {
    const ROUND: f64 = 6_755_399_441_055_744.0; // 1.5·2⁵²: adding it leaves the nearest integer in the low bits
    const LN_2_HIGH: f64 = 0.693_147_180_369_123_8;
    const LN_2_LOW: f64 = 1.908_214_929_270_587_7e-10;
    let x = if x < -708.0 { -708.0 } else { x };
    let x = if x > 709.0 { 709.0 } else { x };
    let shifted = x.mul_add(std::f64::consts::LOG2_E, ROUND);
    let n = shifted - ROUND;
    let r = n.mul_add(-LN_2_LOW, n.mul_add(-LN_2_HIGH, x));
    let power = f64::from_bits(shifted.to_bits().wrapping_add(1023) << 52);
    let r2 = r * r;
    power * r.mul_add(horner(&EXP_ODD, r2), horner(&EXP_EVEN, r2))
}

/// ln x for a normal x > 0; anything else gives a number without meaning.
#[inline(always)]
pub(crate) fn ln(x: f64) -> f64 {
    const LN_2_HIGH: f64 = 0.693_147_180_369_123_8;
    const LN_2_LOW: f64 = 1.908_214_929_270_587_7e-10;
    const WHOLE: u64 = 0x4330_0000_0000_0000; // 2⁵²: an integer set in its low bits reads as 2⁵² plus it
    let bits = x.to_bits();
    let mantissa = f64::from_bits((bits & 0x000f_ffff_ffff_ffff) | 0x3ff0_0000_0000_0000);
    let exponent = f64::from_bits((bits >> 52) | WHOLE) - (4_503_599_627_370_496.0 + 1023.0);
    let upper = mantissa > std::f64::consts::SQRT_2;
    let m = if upper { 0.5 * mantissa } else { mantissa };
    let n = if upper { exponent + 1.0 } else { exponent };
    let f = (m - 1.0) / (m + 1.0);
    let s = f * f;
    let tail = 2.0 * f * s * horner(&ARTANH, s);
    n.mul_add(LN_2_HIGH, 2.0 * f + n.mul_add(LN_2_LOW, tail))
}

/// The larger; `b` where `a` is not a number.
#[inline(always)]
pub(crate) fn max(a: f64, b: f64) -> f64 {
    if a > b { a } else { b }
}

/// The smaller; `b` where `a` is not a number.
#[inline(always)]
pub(crate) fn min(a: f64, b: f64) -> f64 {
    if a < b { a } else { b }
}

/// 1/k! for even and odd k up to 13.
const EXP_EVEN: [f64; 7] = [
    1.0,
    0.5,
    1.0 / 24.0,
    1.0 / 720.0,
    1.0 / 40_320.0,
    1.0 / 3_628_800.0,
    1.0 / 479_001_600.0,
];
const EXP_ODD: [f64; 7] = [
    1.0,
    1.0 / 6.0,
    1.0 / 120.0,
    1.0 / 5_040.0,
    1.0 / 362_880.0,
    1.0 / 39_916_800.0,
    1.0 / 6_227_020_800.0,
];
/// artanh f = f + f³·Σ sᵏ/(2k+3), s = f².
const ARTANH: [f64; 10] = [
    1.0 / 3.0,
    1.0 / 5.0,
    1.0 / 7.0,
    1.0 / 9.0,
    1.0 / 11.0,
    1.0 / 13.0,
    1.0 / 15.0,
    1.0 / 17.0,
    1.0 / 19.0,
    1.0 / 21.0,
];
