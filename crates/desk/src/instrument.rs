//! What is traded and held: an option series, or the underlying itself.

use std::fmt;
use std::str::FromStr;

use crate::contract::{Contract, SymbolError};

/// One thing that a leg, a fill or a lot is in. Its text is the option's symbol of 21 characters,
/// or the underlying's own.
#[derive(Debug, Clone, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Instrument {
    /// An option series.
    Option(Contract),
    /// Shares or a future, by symbol.
    Underlying(String),
}

/// Fewest characters of an option symbol, without padding.
const SHORTEST_OPTION: usize = 16;

impl Instrument {
    /// The series, if it is an option.
    pub fn option(&self) -> Option<&Contract> {
        match self {
            Instrument::Option(contract) => Some(contract),
            Instrument::Underlying(_) => None,
        }
    }

    /// "195 call", or the symbol.
    pub fn label(&self) -> String {
        match self {
            Instrument::Option(contract) => contract.label(),
            Instrument::Underlying(symbol) => symbol.clone(),
        }
    }
}

impl From<Contract> for Instrument {
    fn from(contract: Contract) -> Instrument {
        Instrument::Option(contract)
    }
}

impl fmt::Display for Instrument {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Instrument::Option(contract) => contract.fmt(f),
            Instrument::Underlying(symbol) => symbol.fmt(f),
        }
    }
}

impl FromStr for Instrument {
    type Err = SymbolError;

    fn from_str(text: &str) -> Result<Instrument, SymbolError> {
        let letters = |b: u8| b.is_ascii_uppercase() || b.is_ascii_digit();
        let symbol = text.len() < SHORTEST_OPTION
            && text.bytes().next().is_some_and(|b| b.is_ascii_uppercase())
            && text.bytes().all(letters);
        if symbol {
            Ok(Instrument::Underlying(text.to_owned()))
        } else {
            Ok(Instrument::Option(text.parse()?))
        }
    }
}
