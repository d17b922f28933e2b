//! The move that two expirations price into a scheduled event.
//!
//! Variance over time is taken as a base rate a year and one amount on the day of the event; two
//! expirations, of which one or both contain it, tell both. Common practice; the arithmetic is that
//! of additive variance of independent increments.

use thiserror::Error;

/// What two at-the-money volatilities say of an event.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct EventMove {
    /// Standard deviation of the logarithm of the price at the event; zero where the volatilities
    /// leave nothing for it.
    pub deviation: f64,
    /// Mean of the size of that move: deviation·√(2/π), as of a normal variable.
    pub mean_move: f64,
    /// Volatility a year without the event.
    pub base_vol: f64,
}

/// Why two volatilities say nothing of an event.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Error)]
pub enum EventError {
    /// Times out of order.
    #[error("the nearer expiration has to be above 0 and before the later one")]
    Expirations,
    /// A volatility that is none.
    #[error("both volatilities have to be above 0")]
    Volatility,
    /// The event is not ahead, or no expiration contains it.
    #[error("the event has to be above 0 and not behind the later expiration")]
    Event,
    /// A base below zero.
    #[error(
        "the variance between the expirations is below 0: the two volatilities contradict each other"
    )]
    Base,
}

/// The move that is priced for an event `event` years ahead by the volatilities of two expirations,
/// each (years, volatility), the nearer first. Where only the later contains the event the nearer
/// one is its base; where both do, what lies between them is.
///
/// ```
/// // News comes between two expirations at 25 %, and the later one has a variance of 0.05² more than time
/// // alone explains: a move of 5 % is priced.
/// let later = ((0.25 * 0.25 * 0.06 + 0.05 * 0.05) / 0.06_f64).sqrt();
/// let told = quant::event_move((0.02, 0.25), (0.06, later), 0.04);
/// let told = told.unwrap();
/// assert!((told.deviation - 0.05).abs() < 1e-9 && (told.base_vol - 0.25).abs() < 1e-9);
/// ```
///
/// # Errors
/// [`EventError`].
pub fn event_move(near: (f64, f64), far: (f64, f64), event: f64) -> Result<EventMove, EventError> {
    let ((t1, vol1), (t2, vol2)) = (near, far);
    if !(0.0 < t1 && t1 < t2) {
        return Err(EventError::Expirations);
    }
    if !(vol1 > 0.0 && vol2 > 0.0) {
        return Err(EventError::Volatility);
    }
    if !(event > 0.0 && event <= t2) {
        return Err(EventError::Event);
    }
    let (base, variance) = if event > t1 {
        let base = vol1 * vol1;
        (base, vol2 * vol2 * t2 - base * t2)
    } else {
        let base = (vol2 * vol2 * t2 - vol1 * vol1 * t1) / (t2 - t1);
        (base, vol1 * vol1 * t1 - base * t1)
    };
    if base < 0.0 {
        return Err(EventError::Base);
    }
    let deviation = variance.max(0.0).sqrt();
    Ok(EventMove {
        deviation,
        mean_move: deviation * std::f64::consts::FRAC_2_PI.sqrt(),
        base_vol: base.sqrt(),
    })
}
