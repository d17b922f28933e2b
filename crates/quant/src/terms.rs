use thiserror::Error;

/// Call or put.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Kind {
    /// The right to buy.
    Call,
    /// The right to sell.
    Put,
}

impl Kind {
    /// +1 for a call, −1 for a put.
    ///
    /// ```
    /// use quant::Kind;
    /// assert_eq!((Kind::Call.sign(), Kind::Put.sign()), (1.0, -1.0));
    /// ```
    pub fn sign(self) -> f64 {
        match self {
            Kind::Call => 1.0,
            Kind::Put => -1.0,
        }
    }

    /// What exercise would pay now, per unit.
    ///
    /// ```
    /// use quant::Kind;
    /// assert_eq!(Kind::Put.intrinsic(95.0, 100.0), 5.0);
    /// assert_eq!(Kind::Call.intrinsic(95.0, 100.0), 0.0);
    /// ```
    pub fn intrinsic(self, spot: f64, strike: f64) -> f64 {
        (self.sign() * (spot - strike)).max(0.0)
    }
}

/// When the holder may exercise.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Style {
    /// At expiry only.
    European,
    /// At any time up to expiry.
    American,
}

/// Everything about one option but the price of its underlying.
///
/// An option on a future is the case `carry_yield == rate` (Black 1976).
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Terms {
    /// Call or put.
    pub kind: Kind,
    /// European or American.
    pub style: Style,
    /// Strike, per unit of the underlying, above zero.
    pub strike: f64,
    /// Years of 365 days to expiry; zero means at expiry.
    pub time: f64,
    /// Continuously compounded interest per year.
    pub rate: f64,
    /// Continuously compounded dividend yield per year (or the rate itself, on a future).
    pub carry_yield: f64,
    /// Volatility per year, as a fraction.
    pub vol: f64,
}

/// A price and its derivatives, per one unit of the underlying.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct Valuation {
    /// Present value, per unit of the underlying.
    pub price: f64,
    /// Change of price per unit of the underlying.
    pub delta: f64,
    /// Change of delta per unit of the underlying.
    pub gamma: f64,
    /// Change of price per calendar day passing.
    pub theta_day: f64,
    /// Change of price per volatility point (+0.01).
    pub vega_point: f64,
    /// Change of price per percentage point of interest (+0.01).
    pub rho_point: f64,
}

/// An input outside the domain of the formulas.
#[derive(Debug, Clone, Copy, PartialEq, Error)]
pub enum Error {
    /// The named input is NaN or infinite.
    #[error("{0} is not a finite number")]
    NotFinite(&'static str),
    /// The named input must be above zero.
    #[error("{name} must be above zero, not {value}")]
    NotPositive {
        /// The input as its field is named.
        name: &'static str,
        /// What was given.
        value: f64,
    },
    /// The named input must not be below zero.
    #[error("{name} must not be below zero, not {value}")]
    Negative {
        /// The input as its field is named.
        name: &'static str,
        /// What was given.
        value: f64,
    },
    /// At negative rates an American option may be best exercised in a band of prices with two
    /// ends.
    #[error(
        "an American option at rate {rate} and yield {carry_yield} is exercised inside a band of \
         prices; it is not priced"
    )]
    TwoBoundaries {
        /// The rate that was given, a year.
        rate: f64,
        /// The yield that was given, a year.
        carry_yield: f64,
    },
    /// An option on a future carries the rate as its yield.
    #[error("on a future the yield must equal the rate: {carry_yield} is not {rate}")]
    NotAFuture {
        /// The rate that was given, a year.
        rate: f64,
        /// The yield that was given, a year.
        carry_yield: f64,
    },
    /// A volatility surface leaves the price no density, or a negative one, here.
    #[error("the volatility surface has arbitrage at price {price}, {time} years ahead")]
    Arbitrage {
        /// The price at which the surface fails.
        price: f64,
        /// Years ahead at which it fails.
        time: f64,
    },
    /// The named input is finite but beyond what the formulas keep their digits for.
    #[error("{name} {value} is out of range: {least} to {most} are priced")]
    OutOfRange {
        /// The input as its field is named.
        name: &'static str,
        /// What was given.
        value: f64,
        /// Least that is accepted.
        least: f64,
        /// Most that is accepted.
        most: f64,
    },
}

pub(crate) fn within(name: &'static str, value: f64, least: f64, most: f64) -> Result<f64, Error> {
    if !value.is_finite() {
        Err(Error::NotFinite(name))
    } else if !(least..=most).contains(&value) {
        Err(Error::OutOfRange {
            name,
            value,
            least,
            most,
        })
    } else {
        Ok(value)
    }
}

/// A price level: above zero and within the range the formulas are proved on.
pub(crate) fn price_level(name: &'static str, value: f64) -> Result<f64, Error> {
    within(name, positive(name, value)?, 1e-9, 1e12)
}

pub(crate) fn positive(name: &'static str, value: f64) -> Result<f64, Error> {
    if !value.is_finite() {
        Err(Error::NotFinite(name))
    } else if value <= 0.0 {
        Err(Error::NotPositive { name, value })
    } else {
        Ok(value)
    }
}

pub(crate) fn not_negative(name: &'static str, value: f64) -> Result<f64, Error> {
    if !value.is_finite() {
        Err(Error::NotFinite(name))
    } else if value < 0.0 {
        Err(Error::Negative { name, value })
    } else {
        Ok(value)
    }
}

impl Terms {
    /// Refuses anything the formulas are not defined for.
    ///
    /// ```
    /// use quant::{Kind, Style, Terms};
    /// let terms = Terms {
    ///     kind: Kind::Put,
    ///     style: Style::American,
    ///     strike: 100.0,
    ///     time: 0.25,
    ///     rate: 0.05,
    ///     carry_yield: 0.0,
    ///     vol: 0.20,
    /// };
    /// assert!(terms.check().is_ok());
    /// let told = Terms { vol: -0.2, ..terms }.check().unwrap_err();
    /// assert!(told.to_string().contains("volatility"), "{told}");
    /// ```
    ///
    /// # Errors
    /// The first input that is not a number or out of range, by name.
    pub fn check(&self) -> Result<(), Error> {
        price_level("strike", self.strike)?;
        within("time", not_negative("time", self.time)?, 0.0, 200.0)?;
        within(
            "volatility",
            not_negative("volatility", self.vol)?,
            0.0,
            50.0,
        )?;
        within("rate", self.rate, -1.0, 1.0)?;
        within("yield", self.carry_yield, -1.0, 1.0)?;
        Ok(())
    }
}
