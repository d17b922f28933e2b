//! **quant**: one option, one moment.
//!
//! Prices, Greeks, implied volatility, volatility surfaces and chances, as plain functions of
//! numbers. `f64` in, `f64` out: no names, no money, no dates (time is a fraction of a year), no
//! clock, no randomness, no files. Nothing in here knows that an exchange exists.
//!
//! Units everywhere: prices per one unit of the underlying; time in years of 365 days; rates,
//! yields continuously compounded per year; volatility as a fraction (0.25). Greeks come in the
//! units the trade shows: theta per calendar day, vega per volatility point, rho per percentage
//! point.
//!
//! ```
//! use quant::{Model, Terms, Kind, Style, Accuracy};
//! let terms = Terms { kind: Kind::Put, style: Style::American, strike: 100.0, time: 0.25,
//!     rate: 0.05, carry_yield: 0.0, vol: 0.3 };
//! let model = Model::new(&terms, Accuracy::Interactive)?;
//! assert!((model.price(90.0) - 11.36402).abs() < 1e-5);
//! # Ok::<(), quant::Error>(())
//! ```

mod american;
mod batch;
mod boundary;
mod brent;
mod chain;
mod chance;
mod dividends;
mod european;
mod event;
mod implied;
mod lanes;
mod model;
mod normal;
mod quadrature;
mod reach;
mod scheme;
mod smile;
mod surface;
mod svi;
mod terms;
mod touch;

pub use batch::{Vanilla, price_all, value_all, value_universe};
pub use brent::{Root, RootError, find_root};
pub use chain::{Chain, ChainError, EarlyExercise, Values, value_chain, value_chains};
pub use chance::{Lognormal, Outcome};
pub use dividends::{Dividend, DividendModel};
pub use european::{Higher, european, european_higher, european_price, europeans};
pub use event::{EventError, EventMove, event_move};
pub use implied::{Bound, ImpliedError, implied_vol, implied_vol_all, implied_vol_with_dividends};
pub use model::{Accuracy, Model, PricedOn, Tail};
pub use normal::{cdf, inverse_cdf, pdf};
pub use reach::chance_of_reaching;
pub use smile::SurfaceChances;
pub use surface::{Ssvi, SsviSlice, butterfly_density_factor, smile_below, total_variance_between};
pub use svi::{Fit, SmilePoint, Svi};
pub use terms::{Error, Kind, Style, Terms, Valuation};
pub use touch::{Touch, touch};

/// The samples of the README are tests.
#[cfg(doctest)]
#[doc = include_str!("../README.md")]
struct Readme;
