//! Option symbols: the OSI form of 21 characters, both ways.
//!
//! `RRRRRRYYMMDDTDDDDDddd`: root padded with spaces to six, date, C or P, strike × 1000 in eight
//! digits (Options Symbology Initiative, 2008). The compact form without padding is read but never
//! written. A symbol says nothing about style, settlement or multiplier: see `instrument`.

use std::fmt;
use std::str::FromStr;

use jiff::civil::Date;
use quant::Kind;
use thiserror::Error;

use crate::number::Price;

/// One listed option series: root, expiration date, right and strike.
#[derive(Debug, Clone, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Contract {
    /// Root symbol, e.g. `WXMRW`.
    pub root: String,
    /// The date on which the series ends.
    pub expiry: Date,
    /// Call or put.
    pub kind: Kind,
    /// Strike, per unit.
    pub strike: Price,
}

/// Text that is not an option symbol.
#[derive(Debug, Clone, PartialEq, Eq, Error)]
#[error("{text:?} is not an option symbol ({why}); write it like \"NMOU  310418C00195000\"")]
pub struct SymbolError {
    /// What was given.
    pub text: String,
    /// What is wrong with it.
    pub why: &'static str,
}

/// The strike grain of a symbol: a thousandth.
const GRAIN: i64 = Price::SCALE / 1000;

impl Contract {
    /// "195 call", for sentences and labels.
    pub fn label(&self) -> String {
        let kind = if self.kind == Kind::Call {
            "call"
        } else {
            "put"
        };
        format!("{} {kind}", strike_label(self.strike))
    }

    /// What exercise pays at a price of the underlying, per unit.
    pub fn exercise_value(&self, price: Price) -> Price {
        exercise_value(self.kind, self.strike, price)
    }
}

/// What exercise of an option pays at a price of the underlying, per unit.
pub fn exercise_value(kind: Kind, strike: Price, price: Price) -> Price {
    let inside = match kind {
        Kind::Call => price - strike,
        Kind::Put => strike - price,
    };
    inside.max(Price::ZERO)
}

/// A strike without needless decimals: 195, 197.5.
pub fn strike_label(strike: Price) -> String {
    strike
        .to_string()
        .trim_end_matches('0')
        .trim_end_matches('.')
        .to_owned()
}

impl fmt::Display for Contract {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let (y, m, d) = (
            self.expiry.year() % 100,
            self.expiry.month(),
            self.expiry.day(),
        );
        let kind = if self.kind == Kind::Call { 'C' } else { 'P' };
        write!(
            f,
            "{:<6}{y:02}{m:02}{d:02}{kind}{:08}",
            self.root,
            self.strike.raw() / GRAIN
        )
    }
}

impl FromStr for Contract {
    type Err = SymbolError;

    fn from_str(text: &str) -> Result<Contract, SymbolError> {
        let fail = |why| SymbolError {
            text: text.chars().take(40).collect(),
            why,
        };
        if !text.is_ascii() || text.len() < 16 || text.len() > 21 {
            return Err(fail(
                "it must have 21 characters, or 16 to 21 without padding",
            ));
        }
        let (root, tail) = text.split_at(text.len() - 15);
        let root = root.trim_end_matches(' ');
        let named = root.bytes().next().is_some_and(|b| b.is_ascii_uppercase())
            && root
                .bytes()
                .all(|b| b.is_ascii_uppercase() || b.is_ascii_digit());
        if !named {
            return Err(fail("the root must be capital letters and digits"));
        }
        let digits = |range: std::ops::Range<usize>| {
            let part = &tail[range];
            part.bytes()
                .all(|b| b.is_ascii_digit())
                .then(|| part.parse::<i64>().unwrap_or(0))
        };
        let field = |range, why| digits(range).ok_or_else(|| fail(why));
        let (y, m, d) = (
            field(0..2, "the year")?,
            field(2..4, "the month")?,
            field(4..6, "the day")?,
        );
        let expiry = Date::new(2000 + y as i16, m as i8, d as i8)
            .map_err(|_| fail("there is no such date"))?;
        let kind = match tail.as_bytes()[6] {
            b'C' => Kind::Call,
            b'P' => Kind::Put,
            _ => return Err(fail("the right must be C or P")),
        };
        let strike = field(7..15, "the strike must be eight digits")?;
        if strike == 0 {
            return Err(fail("the strike must be above zero"));
        }
        Ok(Contract {
            root: root.to_owned(),
            expiry,
            kind,
            strike: Price::from_raw(strike * GRAIN),
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// Samples from the symbology's own publication (both dates are Saturdays, as was then the
    /// rule).
    #[test]
    fn published_samples() {
        let c: Contract = "XYZ   141122P00019500".parse().unwrap();
        assert_eq!(
            (
                c.expiry.to_string().as_str(),
                c.kind,
                c.strike.to_string().as_str()
            ),
            ("2014-11-22", Kind::Put, "19.50")
        );
        let c: Contract = "ABCD  150117C00052500".parse().unwrap();
        assert_eq!(
            (c.root.as_str(), c.kind, c.strike.to_string().as_str()),
            ("ABCD", Kind::Call, "52.50")
        );
        assert_eq!(
            "WXMRW240102C04755000"
                .parse::<Contract>()
                .unwrap()
                .to_string(),
            "WXMRW 240102C04755000"
        );
        for bad in [
            "",
            "NMOU",
            "nmou  310418C00195000",
            "NMOU  310431C00195000",
            "NMOU  310418X00195000",
            "NMOU  310418C0019500x",
            "N OU  310418C00195000",
            "NMOU  310418C00000000",
            "ＮMOU 310418C00195000",
        ] {
            assert!(bad.parse::<Contract>().is_err(), "{bad}");
        }
    }

    proptest! {
        #[test]
        fn printing_and_reading_are_inverse(
            root in "[A-Z][A-Z0-9]{0,5}",
            days in 0..36_000_i32,
            call in any::<bool>(),
            strike in 1..99_999_999_i64,
        ) {
            let expiry = jiff::civil::date(2000, 1, 1)
                .checked_add(jiff::Span::new().days(days))
                .unwrap();
            let c = Contract {
                root,
                expiry,
                kind: if call { Kind::Call } else { Kind::Put },
                strike: Price::from_raw(strike * GRAIN),
            };
            let text = c.to_string();
            prop_assert_eq!(text.len(), 21);
            prop_assert_eq!(text.parse::<Contract>().unwrap(), c.clone());
            prop_assert_eq!(text.replace(' ', "").parse::<Contract>().unwrap(), c);
        }

        #[test]
        fn any_text_is_read_or_refused(text in "\\PC{0,30}") {
            let _ = text.parse::<Contract>();
        }
    }
}
