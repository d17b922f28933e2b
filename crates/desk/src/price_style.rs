//! How prices are written: decimals, eighths or 64ths.
//!
//! Grain is quoted in cents and eighths of a cent, `12-4` for 12 4/8; notes and bonds in points and
//! 64ths, `1-15` for 1 15/64 (common practice of those markets). Half a step, as the middle of a
//! market may be, has a ½ behind it; any other price between two steps is written as a decimal, and
//! decimals are always read.

use crate::number::{NumberError, Price};

/// How a market writes its prices.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum PriceStyle {
    /// Points and hundredths, as 4.75.
    #[default]
    Decimal,
    /// Points and eighths of a point, as 12-4 for 12.5.
    Eighths,
    /// Points and 64ths of a point, as 1-15.
    SixtyFourths,
}

impl PriceStyle {
    /// Steps in one point, where prices are written in fractions.
    fn steps(self) -> Option<i64> {
        match self {
            PriceStyle::Decimal => None,
            PriceStyle::Eighths => Some(8),
            PriceStyle::SixtyFourths => Some(64),
        }
    }

    /// As the market writes it; with two digits of 64ths.
    pub fn write(self, price: Price) -> String {
        let Some(steps) = self
            .steps()
            .filter(|steps| price.raw() % (Price::SCALE / steps / 2) == 0)
        else {
            return price.to_string();
        };
        let halves = price.abs().raw() / (Price::SCALE / steps / 2);
        let count = halves / 2;
        let (sign, half) = (
            if price < Price::ZERO { "-" } else { "" },
            if halves % 2 == 1 { "½" } else { "" },
        );
        let digits = if steps > 10 { 2 } else { 1 };
        format!("{sign}{}-{:0digits$}{half}", count / steps, count % steps)
    }

    /// A net price of a package without a sign: "1.25 credit", "0.40 debit".
    pub fn net(self, price: Price) -> String {
        let side = if price < Price::ZERO {
            "credit"
        } else {
            "debit"
        };
        format!("{} {side}", self.write(price.abs()))
    }

    /// A price between two steps, such as a break-even, as near as the market writes it: with two
    /// decimals, or to half a step.
    pub fn nearest(self, price: Price) -> String {
        match self.steps() {
            None => price.fixed(2),
            Some(steps) => {
                let half = Price::SCALE / steps / 2;
                let count = (price.raw() + half / 2).div_euclid(half);
                self.write(Price::from_raw(count * half))
            }
        }
    }

    /// A price as the market writes it, or as a decimal.
    ///
    /// # Errors
    /// It is neither.
    pub fn read(self, text: &str) -> Result<Price, NumberError> {
        let (sign, size) = text.strip_prefix('-').map_or((1, text), |rest| (-1, rest));
        let (Some(steps), Some((whole, part))) = (self.steps(), size.split_once('-')) else {
            return text.parse();
        };
        let (part, half) = part.strip_suffix('½').map_or((part, 0), |part| (part, 1));
        let number = |digits: &str| -> Option<i64> {
            let plain = !digits.is_empty()
                && digits.len() <= 9
                && digits.bytes().all(|b| b.is_ascii_digit());
            if plain { digits.parse().ok() } else { None }
        };
        match (number(whole), number(part)) {
            (Some(whole), Some(part)) if part < steps => Ok(Price::from_raw(
                sign * (2 * (whole * steps + part) + half) * (Price::SCALE / steps / 2),
            )),
            _ => Err(NumberError::Fraction {
                text: text.chars().take(40).collect(),
                steps,
            }),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn samples_of_the_trade() {
        // 12-4 is 12.5 cents, 625.00 on 5,000 bushels; 1-15 is 1.234375 points, 1,234.375 on
        // 100,000 of face (contract arithmetic).
        let grain = PriceStyle::Eighths.read("12-4").unwrap();
        assert_eq!(
            (
                grain.to_string().as_str(),
                grain.times(50).to_string().as_str()
            ),
            ("12.50", "625.00")
        );
        let bond = PriceStyle::SixtyFourths.read("1-15").unwrap();
        assert_eq!(
            (
                bond.to_string().as_str(),
                bond.times(1_000).to_string().as_str()
            ),
            ("1.234375", "1234.375")
        );
        assert_eq!(
            PriceStyle::SixtyFourths.write("111.75".parse().unwrap()),
            "111-48"
        );
        assert_eq!(
            PriceStyle::SixtyFourths.write("0.078125".parse().unwrap()),
            "0-05"
        );
        assert_eq!(PriceStyle::Eighths.write("0.0625".parse().unwrap()), "0-0½");
        assert_eq!(
            PriceStyle::SixtyFourths.write("-0.0078125".parse().unwrap()),
            "-0-00½"
        );
        assert_eq!(PriceStyle::Eighths.write("0.03".parse().unwrap()), "0.03");
        assert_eq!(
            PriceStyle::Eighths.read("612-2").unwrap(),
            PriceStyle::Eighths.read("612.25").unwrap()
        );
        for bad in ["12-8", "12-", "-", "1-2-3", "a-1", "12-٣"] {
            assert!(PriceStyle::Eighths.read(bad).is_err(), "{bad}");
        }
        assert!(PriceStyle::Decimal.read("12-4").is_err());
    }

    proptest! {
        #[test]
        fn what_is_written_is_read(raw in -1_000_000_000_000_i64..1_000_000_000_000) {
            for style in [
                PriceStyle::Decimal,
                PriceStyle::Eighths,
                PriceStyle::SixtyFourths,
            ] {
                let price = Price::from_raw(raw);
                prop_assert_eq!(style.read(&style.write(price)).unwrap(), price);
                let step = Price::from_raw(raw / 6_250_000 * 781_250);
                prop_assert_eq!(style.read(&style.write(step)).unwrap(), step);
            }
        }
    }
}
