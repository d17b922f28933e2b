//! What a position is worth anywhere: at another price, so many days on, with volatilities moved.
//!
//! Every leg is valued by its model, with its exercise, its dividends and its end on the way; Greeks
//! take no part in it. The batch calculator and the page of the book both draw from here: legs in
//! the model world have their terms as they are, listed ones the cash dividends of their underlying
//! beside them.

use quant::{Accuracy, Model, PricedOn, Style, Terms, Valuation, Vanilla, price_all, value_all};

use crate::carry::Carry;
use crate::contract::Contract;
use crate::time::Moment;
use crate::underlying::Underlying;
use crate::valuation::{Priced, PricedIn, paying_prices, plain_terms};

/// How volatility answers.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub enum VolAnswer {
    /// Every option keeps its volatility, whatever the price does.
    #[default]
    Stays,
    /// Each moves by so much, as a fraction a year: 0.03 is three points.
    Points(f64),
    /// Each falls by this multiple of what its own name rises, both relative: at 2 a fall of 5 %
    /// makes 0.30 of it 0.33.
    PerMove(f64),
}

/// No shock leaves less volatility than this, nor raises one that is below it.
pub const LEAST_VOL: f64 = 0.01;

impl VolAnswer {
    /// A volatility after its own name has moved by a fraction of its price.
    pub fn of(self, vol: f64, own: f64) -> f64 {
        if vol < LEAST_VOL {
            return vol;
        }
        match self {
            VolAnswer::Stays => vol,
            VolAnswer::Points(points) => (vol + points).max(LEAST_VOL),
            VolAnswer::PerMove(k) => (vol * (1.0 - k * own)).max(LEAST_VOL),
        }
    }
}

/// What happens to one name.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct Scenario {
    /// Move of its price, a fraction of it; below −1 the price is 0.
    pub own: f64,
    /// Calendar days from now.
    pub days: f64,
    /// How volatilities answer to the scenario.
    pub vol: VolAnswer,
}

/// An option of the book.
#[derive(Debug, Clone, Copy)]
pub enum BookOption<'a> {
    /// In the model world: its terms say everything.
    Model {
        /// The terms that are valued: strike, time, rate and carry.
        terms: Terms,
        /// What it is on.
        on: PricedOn,
    },
    /// A series of the market, with the dividends of its underlying.
    Listed {
        /// The listed series that is valued.
        contract: &'a Contract,
        /// What it is on.
        underlying: &'a Underlying,
        /// The moment at which it is valued.
        at: Moment,
        /// What the underlying pays.
        carry: &'a Carry,
        /// Interest to its end.
        rate: f64,
        /// Its volatility a year, as a fraction: 0.25 is 25 %.
        vol: f64,
    },
}

/// What a leg is.
#[derive(Debug, Clone, Copy)]
pub enum LegWorth<'a> {
    /// Shares, worth their price; where they are listed what they pay is received.
    Shares(Option<(&'a Carry, Moment)>),
    /// A future: its gains are settled, so that it is worth nothing by itself.
    Future,
    /// An option, American or European.
    Option(BookOption<'a>),
}

/// So many of one thing in a position of the book.
#[derive(Debug, Clone, Copy)]
pub struct BookLeg<'a> {
    /// Contracts or shares times multiplier, sold below zero.
    pub units: f64,
    /// What one of it is worth, and how that is found.
    pub worth: LegWorth<'a>,
}

/// What is held in one name.
#[derive(Debug, Clone)]
pub struct BookPosition<'a> {
    /// Price of the name now.
    pub spot: f64,
    /// All of its legs, on one underlying.
    pub legs: Vec<BookLeg<'a>>,
}

/// Value and Greeks of a position in money, in the terms of its own name.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct OwnGreeks {
    /// The worth of all legs; a future counts nothing.
    pub value: f64,
    /// Per 1.00 of the price.
    pub delta: f64,
    /// Change of delta per 1.00.
    pub gamma: f64,
    /// A calendar day.
    pub theta: f64,
    /// A volatility point.
    pub vega: f64,
    /// A percentage point of the rate.
    pub rho: f64,
}

impl OwnGreeks {
    fn of(v: &Valuation, units: f64) -> OwnGreeks {
        OwnGreeks {
            value: units * v.price,
            delta: units * v.delta,
            gamma: units * v.gamma,
            theta: units * v.theta_day,
            vega: units * v.vega_point,
            rho: units * v.rho_point,
        }
    }

    /// Adds the Greeks of two legs or positions.
    pub fn plus(self, o: OwnGreeks) -> OwnGreeks {
        OwnGreeks {
            value: self.value + o.value,
            delta: self.delta + o.delta,
            gamma: self.gamma + o.gamma,
            theta: self.theta + o.theta,
            vega: self.vega + o.vega,
            rho: self.rho + o.rho,
        }
    }
}

/// Why a leg has no value.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
#[error("leg {}: {error}", leg + 1)]
pub struct LegError {
    /// Its place, from 0.
    pub leg: usize,
    /// Why no value can be given.
    pub error: quant::Error,
}

/// Where an option is to be priced.
#[derive(Debug, Clone, Copy, PartialEq)]
struct OptionState {
    spot: f64,
    days: f64,
    vol: f64,
}

/// So many prices of one option at one moment and volatility are cheaper from one model than one by
/// one.
const WORTH_A_MODEL: usize = 8;
/// A price below this is nothing: rounding may leave so much of a fall to 0.
const WORTHLESS: f64 = 1e-9;
const DAY_MILLIS: f64 = 86_400_000.0;

impl BookOption<'_> {
    fn vol(&self) -> f64 {
        match self {
            BookOption::Model { terms, .. } => terms.vol,
            BookOption::Listed { vol, .. } => *vol,
        }
    }

    /// Its terms so many days on; nothing where a dividend is still to come by then.
    fn terms(&self, spot: f64, days: f64, vol: f64) -> Option<Terms> {
        match self {
            BookOption::Model { terms, .. } => Some(Terms {
                time: (terms.time - days / 365.0).max(0.0),
                vol,
                ..*terms
            }),
            BookOption::Listed {
                contract,
                underlying,
                at,
                carry,
                rate,
                ..
            } => plain_terms(
                contract,
                underlying,
                later(*at, days),
                &PricedIn {
                    rate: *rate,
                    carry,
                    spot,
                    vol,
                },
            ),
        }
    }

    /// Prices in many states; `spot` is the price of now.
    fn prices(
        &self,
        spot: f64,
        states: &[OptionState],
        accuracy: Accuracy,
    ) -> Result<Vec<f64>, quant::Error> {
        let mut out = vec![0.0; states.len()];
        let (mut rows, mut places, mut paying) = (Vec::new(), Vec::new(), Vec::new());
        let mut from = 0;
        while from < states.len() {
            let OptionState { days, vol, .. } = states[from];
            let alike = states[from..]
                .iter()
                .take_while(|s| s.days == days && s.vol == vol)
                .count();
            let group = from..from + alike;
            let prices: Vec<f64> = states[group.clone()].iter().map(|s| s.spot).collect();
            match self.terms(spot, days, vol) {
                None if alike >= WORTH_A_MODEL => {
                    let priced = self.paying(spot, days, vol)?;
                    priced.prices(&prices, &mut out[group.clone()]);
                }
                None => paying.extend(group.clone()),
                Some(terms) if terms.time <= 0.0 => {
                    for (out, price) in out[group.clone()].iter_mut().zip(&prices) {
                        *out = terms.kind.intrinsic(*price, terms.strike);
                    }
                }
                Some(terms) => {
                    if alike >= WORTH_A_MODEL && accuracy == Accuracy::Interactive {
                        Model::new(&terms, accuracy)?.prices(&prices, &mut out[group.clone()]);
                    }
                    for i in group.clone() {
                        if states[i].spot < WORTHLESS {
                            out[i] = worthless(&terms);
                        } else if alike < WORTH_A_MODEL || accuracy == Accuracy::Reference {
                            places.push(i);
                            rows.push(Vanilla {
                                terms,
                                spot: states[i].spot,
                                on: PricedOn::Spot,
                            });
                        }
                    }
                }
            }
            from += alike;
        }
        for (i, price) in places.into_iter().zip(price_all(&rows, accuracy)) {
            out[i] = price?;
        }
        let same_day = |a: &usize, b: &usize| states[*a].days == states[*b].days;
        for day in paying.chunk_by(same_day) {
            let each: Vec<(f64, f64)> = day
                .iter()
                .map(|i| (states[*i].spot, states[*i].vol))
                .collect();
            let prices = self.paying_prices(spot, states[day[0]].days, &each)?;
            for (i, price) in day.iter().zip(prices) {
                out[*i] = price;
            }
        }
        Ok(out)
    }

    /// What prices it where a dividend is still to come.
    fn paying(&self, spot: f64, days: f64, vol: f64) -> Result<Priced, quant::Error> {
        match self {
            BookOption::Listed {
                contract,
                underlying,
                at,
                carry,
                rate,
                ..
            } => Priced::new(
                contract,
                underlying,
                later(*at, days),
                &PricedIn {
                    rate: *rate,
                    carry,
                    spot,
                    vol,
                },
            ),
            BookOption::Model { .. } => unreachable!("the terms of the model world are plain"),
        }
    }

    /// Prices where a dividend is still to come, each at a price and a volatility of its own.
    fn paying_prices(
        &self,
        spot: f64,
        days: f64,
        states: &[(f64, f64)],
    ) -> Result<Vec<f64>, quant::Error> {
        match self {
            BookOption::Listed {
                contract,
                underlying,
                at,
                carry,
                rate,
                vol,
            } => {
                let market = PricedIn {
                    rate: *rate,
                    carry,
                    spot,
                    vol: *vol,
                };
                paying_prices(contract, underlying, later(*at, days), &market, states)
            }
            BookOption::Model { .. } => unreachable!("the terms of the model world are plain"),
        }
    }

    fn value(&self, spot: f64, accuracy: Accuracy) -> Result<Valuation, quant::Error> {
        match self {
            BookOption::Model { terms, on } => {
                let row = Vanilla {
                    terms: *terms,
                    spot,
                    on: *on,
                };
                value_all(&[row], accuracy).remove(0)
            }
            BookOption::Listed { vol, .. } => self.paying(spot, 0.0, *vol)?.value(spot),
        }
    }
}

fn later(at: Moment, days: f64) -> Moment {
    at.plus_millis((days * DAY_MILLIS).round() as i64)
}

/// What an option on something worthless is worth.
fn worthless(terms: &Terms) -> f64 {
    match (terms.kind, terms.style) {
        (quant::Kind::Call, _) => 0.0,
        (quant::Kind::Put, Style::American) => terms.strike,
        (quant::Kind::Put, Style::European) => terms.strike * libm::exp(-terms.rate * terms.time),
    }
}

impl BookLeg<'_> {
    /// Change of one unit's value in each scenario; exactly zero where nothing changes.
    fn changes(
        &self,
        spot: f64,
        scenarios: &[Scenario],
        accuracy: Accuracy,
    ) -> Result<Vec<f64>, quant::Error> {
        let moved = |own: f64| (spot * (1.0 + own)).max(0.0);
        let option = match &self.worth {
            LegWorth::Future => {
                return Ok(scenarios.iter().map(|s| moved(s.own) - spot).collect());
            }
            LegWorth::Shares(pays) => {
                let paid = |days: f64| match pays {
                    Some((carry, at)) => carry
                        .dividends(*at, later(*at, days))
                        .map(|(_, cash)| cash.to_f64())
                        .sum(),
                    None => 0.0,
                };
                return Ok(scenarios
                    .iter()
                    .map(|s| moved(s.own) - spot + paid(s.days))
                    .collect());
            }
            LegWorth::Option(option) => option,
        };
        let now = OptionState {
            spot,
            days: 0.0,
            vol: option.vol(),
        };
        let states: Vec<OptionState> = std::iter::once(now)
            .chain(scenarios.iter().map(|s| OptionState {
                spot: moved(s.own),
                days: s.days,
                vol: s.vol.of(option.vol(), s.own),
            }))
            .collect();
        // The price of now stands apart, so that it does not depend on what is asked beside it.
        let before = option.prices(spot, &states[..1], accuracy)?[0];
        let after = option.prices(spot, &states[1..], accuracy)?;
        Ok(after
            .into_iter()
            .zip(&states[1..])
            .map(|(after, state)| if *state == now { 0.0 } else { after - before })
            .collect())
    }
}

impl BookPosition<'_> {
    /// Profit in money in each scenario: what every leg is worth then less what it is worth now.
    ///
    /// # Errors
    /// A leg that its model refuses.
    pub fn profits(
        &self,
        scenarios: &[Scenario],
        accuracy: Accuracy,
    ) -> Result<Vec<f64>, LegError> {
        let mut sum = vec![0.0; scenarios.len()];
        for (i, leg) in self.legs.iter().enumerate() {
            let changes = leg
                .changes(self.spot, scenarios, accuracy)
                .map_err(|error| LegError { leg: i, error })?;
            for (sum, change) in sum.iter_mut().zip(changes) {
                *sum += leg.units * change;
            }
        }
        Ok(sum)
    }

    /// Value and Greeks of each leg now.
    ///
    /// # Errors
    /// A leg that its model refuses.
    pub fn leg_greeks(&self, accuracy: Accuracy) -> Result<Vec<OwnGreeks>, LegError> {
        let of = |(i, leg): (usize, &BookLeg<'_>)| {
            Ok(match &leg.worth {
                LegWorth::Shares(_) => OwnGreeks {
                    value: leg.units * self.spot,
                    delta: leg.units,
                    ..OwnGreeks::default()
                },
                LegWorth::Future => OwnGreeks {
                    delta: leg.units,
                    ..OwnGreeks::default()
                },
                LegWorth::Option(option) => OwnGreeks::of(
                    &option
                        .value(self.spot, accuracy)
                        .map_err(|error| LegError { leg: i, error })?,
                    leg.units,
                ),
            })
        };
        self.legs.iter().enumerate().map(of).collect()
    }

    /// Value and Greeks now.
    ///
    /// # Errors
    /// A leg that its model refuses.
    pub fn greeks(&self, accuracy: Accuracy) -> Result<OwnGreeks, LegError> {
        let legs = self.leg_greeks(accuracy)?;
        Ok(legs
            .into_iter()
            .fold(OwnGreeks::default(), |sum, g| sum.plus(g)))
    }
}
