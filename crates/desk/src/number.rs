//! The two number worlds, and the only place where they meet.
//!
//! [`Price`], [`Money`] and [`Decimal`] are exact integers; models work in `f64`. Every crossing is a function
//! of this file and names its rounding.

use std::fmt;
use std::iter::Sum;
use std::ops::{Add, AddAssign, Mul, Neg, Sub, SubAssign};
use std::str::FromStr;

use thiserror::Error;

/// A price per unit of the underlying: an integer count of 1e-8, so that cents, eighths, 64ths and
/// adjusted strikes are all exact. May be negative (a package that pays its buyer).
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Default)]
pub struct Price(i64);

/// Money: an integer count of 1e-4 of the currency unit.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Default)]
pub struct Money(i64);

/// A plain number as somebody wrote it, a percentage or a multiple: an integer count of 1e-8.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Default)]
pub struct Decimal(i64);

/// Text that is not an exact decimal of the kind asked for.
#[derive(Debug, Clone, PartialEq, Eq, Error)]
pub enum NumberError {
    /// Not digits with an optional sign and point.
    #[error("{0:?} is not a decimal number; write it like 4.75")]
    Syntax(String),
    /// More decimals than the type holds.
    #[error("{text:?} has more than {most} decimals")]
    TooFine {
        /// What was written.
        text: String,
        /// Most decimals allowed.
        most: usize,
    },
    /// Not a whole number with a fraction of so many steps.
    #[error(
        "{text:?} is not a price in {steps}ths; write it like 12-4, with less than {steps} behind \
         the dash, or as a decimal"
    )]
    Fraction {
        /// What was written.
        text: String,
        /// Steps in one point.
        steps: i64,
    },
    /// Beyond the integer range.
    #[error("{0:?} is out of range")]
    Range(String),
}

fn parse_fixed(text: &str, decimals: usize) -> Result<i64, NumberError> {
    let syntax = || NumberError::Syntax(text.chars().take(40).collect());
    let (negative, digits) = match text.strip_prefix('-') {
        Some(rest) => (true, rest),
        None => (false, text),
    };
    let (whole, fraction) = digits.split_once('.').unwrap_or((digits, ""));
    if whole.is_empty() || (digits.contains('.') && fraction.is_empty()) {
        return Err(syntax());
    }
    if !whole
        .bytes()
        .chain(fraction.bytes())
        .all(|b| b.is_ascii_digit())
    {
        return Err(syntax());
    }
    let significant = fraction.trim_end_matches('0');
    if significant.len() > decimals {
        return Err(NumberError::TooFine {
            text: text.chars().take(40).collect(),
            most: decimals,
        });
    }
    let joined = format!("{whole}{significant:0<decimals$}");
    let magnitude: i64 = joined
        .parse()
        .map_err(|_| NumberError::Range(text.chars().take(40).collect()))?;
    Ok(if negative { -magnitude } else { magnitude })
}

fn write_fixed(f: &mut fmt::Formatter<'_>, value: i64, scale: u32, least: usize) -> fmt::Result {
    let unit = 10_u64.pow(scale);
    let size = value.unsigned_abs();
    let fraction = format!("{:0width$}", size % unit, width = scale as usize);
    let keep = fraction.trim_end_matches('0').len().max(least);
    write!(
        f,
        "{}{}.{}",
        if value < 0 { "-" } else { "" },
        size / unit,
        &fraction[..keep]
    )
}

/// `value / divisor` rounded to nearest, ties to even.
fn divide_half_even(value: i128, divisor: i128) -> i128 {
    let (quotient, rest) = (value.div_euclid(divisor), value.rem_euclid(divisor));
    match (2 * rest).cmp(&divisor) {
        std::cmp::Ordering::Less => quotient,
        std::cmp::Ordering::Greater => quotient + 1,
        std::cmp::Ordering::Equal => quotient + quotient.rem_euclid(2),
    }
}

fn clamp(value: i128) -> i64 {
    value.clamp(i128::from(i64::MIN), i128::from(i64::MAX)) as i64
}

impl Price {
    /// Units of the stored integer in one currency unit.
    pub const SCALE: i64 = 100_000_000;
    /// A price of zero.
    pub const ZERO: Price = Price(0);

    /// From the stored integer (1e-8).
    pub const fn from_raw(raw: i64) -> Price {
        Price(raw)
    }

    /// The stored integer (1e-8).
    pub const fn raw(self) -> i64 {
        self.0
    }

    /// From whole cents.
    pub const fn cents(cents: i64) -> Price {
        Price(cents * (Self::SCALE / 100))
    }

    /// Into the model world.
    pub fn to_f64(self) -> f64 {
        self.0 as f64 / Self::SCALE as f64
    }

    /// From the model world: nearest 1e-8. Not finite or out of range gives `None`.
    pub fn from_f64(value: f64) -> Option<Price> {
        let scaled = (value * Self::SCALE as f64).round();
        (scaled.abs() < 9e18).then_some(Price(scaled as i64))
    }

    /// The money that `units` of this price are worth (units = contracts × multiplier, signed).
    /// Exact wherever prices sit on a tick of at least 1e-4 / units; otherwise to the nearest 1e-4,
    /// ties to even. Saturates far beyond any account.
    pub fn times(self, units: i64) -> Money {
        let product = i128::from(self.0) * i128::from(units);
        Money(clamp(divide_half_even(
            product,
            i128::from(Self::SCALE / Money::SCALE),
        )))
    }

    /// The sum of prices, each counted so often, for each of `whole`; to the nearest 1e-8, ties to
    /// even.
    pub fn weighed(prices: impl Iterator<Item = (Price, i64)>, whole: i64) -> Price {
        let sum: i128 = prices
            .map(|(price, weight)| i128::from(price.0) * i128::from(weight))
            .sum();
        Price(clamp(divide_half_even(sum, i128::from(whole.max(1)))))
    }

    /// Half of it, ties to even on the last 1e-8.
    pub fn half(self) -> Price {
        Price(clamp(divide_half_even(i128::from(self.0), 2)))
    }

    /// The price without its sign.
    pub fn abs(self) -> Price {
        Price(self.0.abs())
    }

    /// With exactly `decimals` decimals, rounded half to even; for showing model prices.
    pub fn fixed(self, decimals: u32) -> String {
        let unit = 10_i128.pow(8 - decimals.min(8));
        let rounded = divide_half_even(i128::from(self.0), unit) * unit;
        let text = Price(clamp(rounded)).to_string();
        let (whole, fraction) = text.split_once('.').unwrap_or((&text, ""));
        format!("{whole}.{fraction:0<width$}", width = decimals as usize)
    }
}

impl Money {
    /// Units of the stored integer in one currency unit.
    pub const SCALE: i64 = 10_000;
    /// No money at all.
    pub const ZERO: Money = Money(0);

    /// From the stored integer (1e-4).
    pub const fn from_raw(raw: i64) -> Money {
        Money(raw)
    }

    /// The stored integer (1e-4).
    pub const fn raw(self) -> i64 {
        self.0
    }

    /// From whole currency units.
    pub const fn whole(units: i64) -> Money {
        Money(units * Self::SCALE)
    }

    /// Into the model world.
    pub fn to_f64(self) -> f64 {
        self.0 as f64 / Self::SCALE as f64
    }

    /// A model amount as money: nearest cent, ties away from zero. Not finite gives zero; callers
    /// filter such values before.
    pub fn from_model(value: f64) -> Money {
        if value.is_finite() {
            Money(((value * 100.0).round() as i64).saturating_mul(100))
        } else {
            Money::ZERO
        }
    }

    /// A model amount as money: nearest 1e-4. Not finite gives zero, and what is far beyond any
    /// account its limit.
    pub fn nearest(value: f64) -> Money {
        let scaled = (value * Self::SCALE as f64).round();
        if scaled.is_finite() {
            Money(scaled as i64)
        } else {
            Money::ZERO
        }
    }

    /// For sentences: with a comma between thousands.
    pub fn grouped(self) -> String {
        let text = self.to_string();
        let start = usize::from(text.starts_with('-'));
        let whole = text.find('.').unwrap_or(text.len());
        let mut out = text.clone();
        for at in (start + 1..whole)
            .rev()
            .filter(|at| (whole - at).is_multiple_of(3))
        {
            out.insert(at, ',');
        }
        out
    }

    /// For estimates: whole units, ties to even, grouped.
    pub fn whole_grouped(self) -> String {
        let whole = divide_half_even(i128::from(self.0), i128::from(Self::SCALE));
        Money::whole(clamp(whole))
            .grouped()
            .trim_end_matches("00")
            .trim_end_matches('.')
            .to_owned()
    }

    /// `n` of `all` equal parts of it, to the nearest 1e-4, ties to even.
    pub fn part(self, n: i64, all: i64) -> Money {
        let product = i128::from(self.0) * i128::from(n);
        Money(clamp(divide_half_even(product, i128::from(all.max(1)))))
    }

    /// Price per unit when it stands for so many units, to the nearest 1e-8, ties to even; zero for
    /// none.
    pub fn over(self, units: i64) -> Price {
        if units == 0 {
            return Price::ZERO;
        }
        let scaled = i128::from(self.0) * i128::from(Price::SCALE / Money::SCALE);
        let (value, units) = (scaled * i128::from(units.signum()), i128::from(units.abs()));
        Price(clamp(divide_half_even(value, units)))
    }

    /// The amount without its sign.
    pub fn abs(self) -> Money {
        Money(self.0.abs())
    }
}

impl Decimal {
    /// Units of the stored integer in one.
    pub const SCALE: i64 = 100_000_000;
    /// The number zero.
    pub const ZERO: Decimal = Decimal(0);

    /// From the stored integer (1e-8).
    pub const fn from_raw(raw: i64) -> Decimal {
        Decimal(raw)
    }

    /// The stored integer (1e-8).
    pub const fn raw(self) -> i64 {
        self.0
    }

    /// From a whole number.
    pub const fn whole(n: i64) -> Decimal {
        Decimal(n * Self::SCALE)
    }

    /// Into the model world.
    pub fn to_f64(self) -> f64 {
        self.0 as f64 / Self::SCALE as f64
    }
}

impl FromStr for Decimal {
    type Err = NumberError;
    fn from_str(text: &str) -> Result<Decimal, NumberError> {
        parse_fixed(text, 8).map(Decimal)
    }
}

impl fmt::Display for Decimal {
    /// As short as it can be written: "65", "0.5".
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        if self.0 % Self::SCALE == 0 {
            write!(f, "{}", self.0 / Self::SCALE)
        } else {
            write_fixed(f, self.0, 8, 1)
        }
    }
}

impl FromStr for Price {
    type Err = NumberError;
    fn from_str(text: &str) -> Result<Price, NumberError> {
        parse_fixed(text, 8).map(Price)
    }
}

impl FromStr for Money {
    type Err = NumberError;
    fn from_str(text: &str) -> Result<Money, NumberError> {
        parse_fixed(text, 4).map(Money)
    }
}

impl fmt::Display for Price {
    /// Two decimals at least, more where the price has them.
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write_fixed(f, self.0, 8, 2)
    }
}

impl fmt::Display for Money {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write_fixed(f, self.0, 4, 2)
    }
}

macro_rules! additive {
    ($type:ident) => {
        impl Add for $type {
            type Output = $type;
            fn add(self, other: $type) -> $type {
                $type(self.0.saturating_add(other.0))
            }
        }
        impl Sub for $type {
            type Output = $type;
            fn sub(self, other: $type) -> $type {
                $type(self.0.saturating_sub(other.0))
            }
        }
        impl Neg for $type {
            type Output = $type;
            fn neg(self) -> $type {
                $type(-self.0)
            }
        }
        impl Mul<i64> for $type {
            type Output = $type;
            fn mul(self, times: i64) -> $type {
                $type(self.0.saturating_mul(times))
            }
        }
        impl AddAssign for $type {
            fn add_assign(&mut self, other: $type) {
                *self = *self + other;
            }
        }
        impl SubAssign for $type {
            fn sub_assign(&mut self, other: $type) {
                *self = *self - other;
            }
        }
        impl Sum for $type {
            fn sum<I: Iterator<Item = $type>>(items: I) -> $type {
                items.fold($type(0), Add::add)
            }
        }
    };
}
additive!(Price);
additive!(Money);
additive!(Decimal);

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn text_round_trips_and_bad_text_is_named() {
        for text in [
            "0.00",
            "4.75",
            "-0.90",
            "1.234375",
            "12.50",
            "99999.999",
            "-0.00000001",
        ] {
            assert_eq!(text.parse::<Price>().unwrap().to_string(), text);
        }
        assert_eq!("7".parse::<Price>().unwrap().to_string(), "7.00");
        for bad in ["", ".5", "5.", "1e3", "+1", "--1", "1.2.3", "ten", "٣"] {
            assert!(
                matches!(bad.parse::<Price>(), Err(NumberError::Syntax(_))),
                "{bad}"
            );
        }
        assert!(matches!(
            "0.00001".parse::<Money>(),
            Err(NumberError::TooFine { most: 4, .. })
        ));
        assert!(matches!(
            "99999999999999".parse::<Price>(),
            Err(NumberError::Range(_))
        ));
    }

    /// Grain and bond option ticks: 12 4/8 cents on 5,000 bushels; 1 15/64 points of 1,000.
    #[test]
    fn eighths_and_sixty_fourths_are_exact_money() {
        assert_eq!(
            "12.5".parse::<Price>().unwrap().times(50).to_string(),
            "625.00"
        );
        assert_eq!(
            "1.234375".parse::<Price>().unwrap().times(1000).to_string(),
            "1234.375"
        );
        assert_eq!(
            "0.015625"
                .parse::<Price>()
                .unwrap()
                .times(-1000)
                .to_string(),
            "-15.625"
        );
    }

    #[test]
    fn rounding_is_half_to_even_and_fixed_keeps_its_decimals() {
        let cases = [
            ("0.125", "0.12"),
            ("0.135", "0.14"),
            ("-0.125", "-0.12"),
            ("3", "3.00"),
        ];
        for (given, want) in cases {
            assert_eq!(given.parse::<Price>().unwrap().fixed(2), want);
        }
        let grouped = [
            ("0", "0.00"),
            ("999.5", "999.50"),
            ("1000", "1,000.00"),
            ("-287225", "-287,225.00"),
            ("-100", "-100.00"),
            ("1234567.125", "1,234,567.125"),
        ];
        for (given, want) in grouped {
            assert_eq!(given.parse::<Money>().unwrap().grouped(), want);
        }
        for (given, want) in [
            ("1195.00", "1,195"),
            ("-797.54", "-798"),
            ("100.49", "100"),
            ("0.3", "0"),
        ] {
            assert_eq!(given.parse::<Money>().unwrap().whole_grouped(), want);
        }
    }
}
