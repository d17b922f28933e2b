//! A campaign of any fills in the model world: its books, first in first out within a contract, and
//! its outline with what was booked; in `f64`, for the batch calculator. What the account holds is
//! kept exactly by `account`; the outline of both comes from `outline`.

use std::collections::VecDeque;

use jiff::civil::Date;
use quant::{Accuracy, Kind, Style};
use thiserror::Error;

use crate::outline::Outline;
use crate::position::{AtHorizon, Position, PositionKind, PositionLeg};

/// What is traded.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum FillContract {
    /// An option by kind, strike and expiration.
    Option(Kind, f64, Date),
    /// Shares of the underlying.
    Stock,
}

impl std::fmt::Display for FillContract {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            FillContract::Stock => write!(f, "stock"),
            FillContract::Option(kind, strike, expires) => {
                let kind = if *kind == Kind::Call { "call" } else { "put" };
                write!(f, "{kind} {strike} {expires}")
            }
        }
    }
}

/// So many at a price.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Trade {
    /// The option or share that was traded.
    pub contract: FillContract,
    /// Signed contracts or shares.
    pub quantity: f64,
    /// Price per unit.
    pub price: f64,
}

/// What a contract is worth now; of an option also how long it lasts, and its volatility.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Mark {
    /// The option or share that is marked.
    pub contract: FillContract,
    /// Price per unit.
    pub price: Option<f64>,
    /// Years to its end.
    pub time: Option<f64>,
    /// Volatility a year.
    pub vol: Option<f64>,
}

/// One fill in money.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Booked {
    /// Received above zero, before fees.
    pub cash: f64,
    /// Of what it closed, before fees.
    pub realised: f64,
    /// Paid above zero.
    pub fees: f64,
    /// Cash of this fill and all before it.
    pub running: f64,
}

/// Why a campaign cannot be judged.
#[derive(Debug, Clone, PartialEq, Error)]
pub enum FillError {
    /// What is held has no mark.
    #[error("marks: {0} is held and has no mark")]
    Unmarked(FillContract),
    /// It has several.
    #[error("marks: {0} has more than one mark")]
    Twice(FillContract),
    /// A mark lacks something.
    #[error("marks: {0} has no {1}")]
    Without(FillContract, &'static str),
    /// An option that is held has ended.
    #[error("marks: {0} has t_years {1}; it must be above 0")]
    Ended(FillContract, f64),
    /// One date, two times.
    #[error(
        "marks: {contract} has t_years {time} where another of its date has {other}; one date has \
         one figure"
    )]
    Times {
        /// The second one.
        contract: FillContract,
        /// The time as it was given, in years.
        time: f64,
        /// That of the first.
        other: f64,
    },
    /// Terms that the models refuse.
    #[error(transparent)]
    Model(#[from] quant::Error),
}

/// Quantities nearer to nothing than this are nothing: a sum of decimal fractions may miss it.
const NOTHING: f64 = 1e-9;

/// An amount to the nearest 1e-8, so that what touches zero touches it; one so large that an `f64`
/// holds no 1e-8 any more as it is. Nothing has no sign.
fn exact(amount: f64) -> f64 {
    let rounded = if amount.abs() < 1e7 {
        (amount * 1e8).round() / 1e8
    } else {
        amount
    };
    rounded + 0.0
}

/// Open lots of one contract, oldest first: (quantity, price per unit).
#[derive(Debug, Clone)]
struct Lots {
    contract: FillContract,
    units: f64,
    open: VecDeque<(f64, f64)>,
}

impl Lots {
    /// Closes what is opposite, oldest first, and opens the rest; the profit.
    fn trade(&mut self, mut quantity: f64, price: f64) -> f64 {
        let mut realised = 0.0;
        while quantity.abs() > NOTHING {
            let Some((held, opened)) = self.open.front_mut() else {
                break;
            };
            if held.signum() == quantity.signum() {
                break;
            }
            let closed = held.signum() * held.abs().min(quantity.abs());
            realised += closed * (price - *opened);
            *held -= closed;
            quantity += closed;
            if held.abs() <= NOTHING {
                self.open.pop_front();
            }
        }
        if quantity.abs() > NOTHING {
            self.open.push_back((quantity, price));
        }
        realised * self.units
    }

    fn quantity(&self) -> f64 {
        self.open.iter().map(|(n, _)| n).sum()
    }

    fn cost(&self) -> f64 {
        self.units * self.open.iter().map(|(n, price)| n * price).sum::<f64>()
    }
}

/// The books of a campaign.
#[derive(Debug, Clone)]
pub struct FillBooks {
    multiplier: f64,
    lots: Vec<Lots>,
    /// One a fill.
    pub booked: Vec<Booked>,
}

/// What is open of a campaign, at its marks.
#[derive(Debug, Clone)]
pub struct Marked {
    /// As a position at no cost.
    legs: Vec<PositionLeg>,
    /// What it is worth.
    pub worth: f64,
}

/// What a campaign ends at.
#[derive(Debug, Clone)]
pub struct Ending {
    /// The first expiration of what is open; absent of shares alone.
    pub horizon: Option<AtHorizon>,
    /// Profit over price there; of shares alone their straight line, absent where nothing is open.
    pub outline: Option<Outline>,
}

impl FillBooks {
    /// Nothing traded yet. An option is `multiplier` units, a share one.
    pub fn new(multiplier: f64) -> FillBooks {
        FillBooks {
            multiplier,
            lots: Vec::new(),
            booked: Vec::new(),
        }
    }

    /// Books a fill, its trades in their order.
    pub fn fill(&mut self, trades: &[Trade], fees: f64) {
        let (mut cash, mut realised) = (0.0, 0.0);
        for t in trades {
            let units = match t.contract {
                FillContract::Stock => 1.0,
                FillContract::Option(..) => self.multiplier,
            };
            let place = self.lots.iter().position(|l| l.contract == t.contract);
            let place = place.unwrap_or_else(|| {
                self.lots.push(Lots {
                    contract: t.contract,
                    units,
                    open: VecDeque::new(),
                });
                self.lots.len() - 1
            });
            cash -= t.quantity * t.price * units;
            realised += self.lots[place].trade(t.quantity, t.price);
        }
        let running = self.booked.last().map_or(0.0, |b| b.running) + cash;
        self.booked.push(Booked {
            cash: exact(cash),
            realised: exact(realised),
            fees,
            running: exact(running),
        });
    }

    fn sum(&self, f: impl Fn(&Booked) -> f64) -> f64 {
        exact(self.booked.iter().map(f).sum())
    }

    /// Cash of all fills before fees, received above zero.
    pub fn net_cash(&self) -> f64 {
        self.sum(|b| b.cash)
    }

    /// Profit on what is closed, before fees.
    pub fn realised(&self) -> f64 {
        self.sum(|b| b.realised)
    }

    /// Commissions of all fills so far, in money.
    pub fn fees(&self) -> f64 {
        self.sum(|b| b.fees)
    }

    /// Paid for what is open, received below zero.
    pub fn open_cost(&self) -> f64 {
        exact(self.lots.iter().map(Lots::cost).sum())
    }

    /// Profit on what is open.
    pub fn open_profit(&self, marked: &Marked) -> f64 {
        exact(marked.worth - self.open_cost())
    }

    /// All of it, after fees.
    pub fn total(&self, marked: &Marked) -> f64 {
        exact(self.realised() + self.open_profit(marked) - self.fees())
    }

    /// What is open, with its marks; those of what is not held are left out.
    ///
    /// # Errors
    /// [`FillError`], but for models.
    pub fn marked(&self, marks: &[Mark]) -> Result<Marked, FillError> {
        let (mut legs, mut worth) = (Vec::new(), 0.0);
        let mut times: Vec<(Date, f64)> = Vec::new();
        for l in self.lots.iter().filter(|l| !l.open.is_empty()) {
            let contract = l.contract;
            let mut own = marks.iter().filter(|m| m.contract == contract);
            let mark = own.next().ok_or(FillError::Unmarked(contract))?;
            if own.next().is_some() {
                return Err(FillError::Twice(contract));
            }
            let need = |field, value: Option<f64>| value.ok_or(FillError::Without(contract, field));
            worth += l.quantity() * need("price", mark.price)? * l.units;
            let instrument = match contract {
                FillContract::Stock => PositionKind::Stock,
                FillContract::Option(kind, strike, expires) => {
                    let (time, vol) = (need("t_years", mark.time)?, need("vol", mark.vol)?);
                    if time <= 0.0 {
                        return Err(FillError::Ended(contract, time));
                    }
                    match times.iter().find(|(date, _)| *date == expires) {
                        Some((_, other)) if *other != time => {
                            return Err(FillError::Times {
                                contract,
                                time,
                                other: *other,
                            });
                        }
                        Some(_) => {}
                        None => times.push((expires, time)),
                    }
                    PositionKind::Option {
                        kind,
                        style: Style::European,
                        strike,
                        time,
                        vol,
                    }
                }
            };
            legs.push(PositionLeg {
                instrument,
                quantity: l.quantity(),
                multiplier: l.units,
                entry: 0.0,
            });
        }
        Ok(Marked { legs, worth })
    }

    /// What the whole campaign ends at, and what its open legs end at alone: without what was
    /// realised and the fees. `market` is the price of the underlying, the rate and the yield, `vol`
    /// that of the price up to the first expiration.
    ///
    /// # Errors
    /// [`FillError::Model`].
    pub fn endings(
        &self,
        marked: &Marked,
        (spot, rate, carry_yield): (f64, f64, f64),
        vol: f64,
        accuracy: Accuracy,
    ) -> Result<[Ending; 2], FillError> {
        let position = Position {
            spot,
            rate,
            carry_yield,
            legs: marked.legs.clone(),
        };
        let ending = |cash: f64| -> Result<Ending, FillError> {
            let horizon = position.horizon(vol, exact(cash), accuracy)?;
            let outline = match &horizon {
                Some(h) => Some(h.outline.clone()),
                None => (!position.legs.is_empty()).then(|| position.line(exact(cash))),
            };
            Ok(Ending { horizon, outline })
        };
        let alone = -self.open_cost();
        Ok([
            ending(self.realised() - self.fees() + alone)?,
            ending(alone)?,
        ])
    }
}
