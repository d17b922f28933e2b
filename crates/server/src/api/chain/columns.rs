//! The columns of a chain: what a trader may choose to see of each contract, written as it is
//! shown.
//!
//! What a column needs is worked out for a whole expiration at once, and only for columns that are
//! asked for. Chances and Greeks are at the volatility that the contract's middle implies; where it
//! implies none they are left out.

use std::collections::BTreeMap;

use desk::{Carry, Contract, Expiration, Kind, Moment, Price, Priced, PricedIn, Underlying};
use market::{Listed, World};
use quant::{Accuracy, Chain, Lognormal, Values, touch, value_chain};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// A column of the chain that can be chosen.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub enum Column {
    /// Contracts that exist of the series, as of last night.
    OpenInterest,
    /// Contracts traded today.
    Volume,
    /// Implied volatility, in percent.
    Implied,
    /// Delta per unit.
    Delta,
    /// Change of delta per 1.00.
    Gamma,
    /// Per calendar day and unit.
    Theta,
    /// Per volatility point and unit.
    Vega,
    /// Per percentage point of interest and unit.
    Rho,
    /// The last trade of the session.
    Last,
    /// Change of the middle since the last close.
    Change,
    /// Middle of bid and ask.
    Middle,
    /// Contracts bid for.
    BidSize,
    /// Contracts offered at the ask.
    AskSize,
    /// What exercise would bring now, per unit.
    Intrinsic,
    /// What the middle is worth beyond it.
    TimeValue,
    /// The same for each day left.
    TimeValueDay,
    /// What the model says that it is worth, per unit.
    Theoretical,
    /// Chance of ending in the money, in percent.
    ChanceIn,
    /// Chance of touching the strike before the end, in percent.
    ChanceTouch,
    /// Width of the market, in percent of its middle.
    Width,
}

impl Column {
    fn needs_greeks(self) -> bool {
        matches!(
            self,
            Column::Gamma | Column::Theta | Column::Vega | Column::Rho
        )
    }
}

/// Most columns of one side.
pub const MOST_COLUMNS: usize = 20;

/// What the columns of one expiration need.
pub(crate) struct Sheet<'a> {
    columns: &'a [Column],
    underlying: &'a Underlying,
    spot: Price,
    years: f64,
    drift: f64,
    days: i64,
    at: Moment,
    rate: f64,
    carry: Carry,
    /// Dividends fall before the end, or less than a day is left: theta is then not what the yield
    /// of the other Greeks says.
    own_theta: bool,
    greeks: Option<Values>,
    closes: Option<&'a BTreeMap<Contract, Price>>,
}

impl<'a> Sheet<'a> {
    pub(crate) fn of(
        columns: &'a [Column],
        world: &World,
        underlying: &'a Underlying,
        e: &Expiration,
        at: Moment,
        listed: &[(Contract, Listed)],
        closes: Option<&'a BTreeMap<Contract, Price>>,
    ) -> Option<Sheet<'a>> {
        let spot = world.spot(&underlying.symbol, at)?;
        let years = at.years_until(e.moment()).max(1.0 / 525_600.0);
        let rate = world.rate(at, years);
        let carry = world.carry(&underlying.symbol, at)?;
        let paid = carry.present_value(at, e.moment(), rate) > 0.0;
        let carry_yield =
            world
                .carry(&underlying.symbol, at)?
                .yield_until(at, e.moment(), rate, spot.to_f64());
        let greeks = columns.iter().any(|c| c.needs_greeks()).then(|| {
            let kinds: Vec<Kind> = listed.iter().map(|(c, _)| c.kind).collect();
            let strikes: Vec<f64> = listed.iter().map(|(c, _)| c.strike.to_f64()).collect();
            // Where nothing is implied the cell stays empty.
            let vols: Vec<f64> = listed
                .iter()
                .map(|(_, l)| l.implied.unwrap_or(0.3).max(1e-3))
                .collect();
            let on = underlying.priced_on();
            let chain = Chain {
                style: underlying.style,
                on,
                spot: spot.to_f64(),
                time: years,
                rate,
                carry_yield,
                kinds: &kinds,
                strikes: &strikes,
                vols: &vols,
            };
            value_chain(&chain, Accuracy::Interactive).ok()
        });
        let days = at.days_until(e.date).max(1);
        Some(Sheet {
            columns,
            underlying,
            spot,
            years,
            drift: rate - carry_yield,
            days,
            at,
            rate,
            carry,
            own_theta: paid || years * 365.0 < 1.0,
            greeks: greeks.flatten(),
            closes,
        })
    }

    /// The cells of contract number `place`, in the order of the columns; empty where there is
    /// nothing to show.
    pub(crate) fn cells(&self, place: usize, contract: &Contract, l: &Listed) -> Vec<String> {
        self.columns
            .iter()
            .map(|column| self.cell(*column, place, contract, l).unwrap_or_default())
            .collect()
    }

    fn cell(&self, column: Column, place: usize, c: &Contract, l: &Listed) -> Option<String> {
        let style = self.underlying.style_of_price;
        let (quote, middle) = (&l.quote, l.quote.mid());
        let intrinsic = if c.kind == Kind::Call {
            self.spot - c.strike
        } else {
            c.strike - self.spot
        }
        .max(Price::ZERO);
        let greek = |of: fn(&Values) -> &Vec<f64>, decimals: usize| {
            let values = self.greeks.as_ref().filter(|_| l.implied.is_some())?;
            Some(signed(*of(values).get(place)?, decimals))
        };
        let percent = |share: f64| Some(format!("{:.0}", share * 100.0));
        let (spot, strike) = (self.spot.to_f64(), c.strike.to_f64());
        match column {
            Column::OpenInterest => quote.open_interest.map(grouped),
            Column::Volume => quote.volume.map(grouped),
            Column::Implied => Some(format!("{:.1}", l.implied? * 100.0)),
            Column::Delta => Some(signed(l.delta, 2)),
            Column::Gamma => greek(|v| &v.gamma, 4),
            Column::Theta if self.own_theta => {
                let market = PricedIn {
                    rate: self.rate,
                    carry: &self.carry,
                    spot,
                    vol: l.implied?,
                };
                let priced = Priced::new(c, self.underlying, self.at, &market).ok()?;
                Some(signed(priced.value(spot).ok()?.theta_day, 3))
            }
            Column::Theta => greek(|v| &v.theta_day, 3),
            Column::Vega => greek(|v| &v.vega_point, 3),
            Column::Rho => greek(|v| &v.rho_point, 3),
            Column::Last => l.last.map(|p| style.write(p)),
            Column::Change => {
                let change = middle - *self.closes?.get(c)?;
                let size = style.write(change.abs());
                Some(match change.raw().signum() {
                    1 => format!("+{size}"),
                    -1 => format!("−{size}"),
                    _ => size,
                })
            }
            Column::Middle => Some(style.write(middle)),
            Column::BidSize => quote.bid_size.map(grouped),
            Column::AskSize => quote.ask_size.map(grouped),
            Column::Intrinsic => Some(style.write(intrinsic)),
            Column::TimeValue => Some(minus(style.write(middle - intrinsic))),
            Column::TimeValueDay => {
                Some(signed((middle - intrinsic).to_f64() / self.days as f64, 3))
            }
            Column::Theoretical => Some(format!("{:.3}", l.theoretical)),
            Column::ChanceIn => {
                let below = Lognormal::new(spot, self.drift, l.implied?, self.years)
                    .ok()?
                    .below(strike);
                percent(if c.kind == Kind::Call {
                    1.0 - below
                } else {
                    below
                })
            }
            Column::ChanceTouch => {
                let (low, high) = if strike >= spot {
                    (spot * 1e-6, strike)
                } else {
                    (strike, spot * 1e6)
                };
                let touched = touch(spot, low, high, self.drift, l.implied?, self.years).ok()?;
                percent(if strike >= spot {
                    touched.high
                } else {
                    touched.low
                })
            }
            Column::Width if middle > Price::ZERO => Some(format!(
                "{:.1}",
                (quote.ask - quote.bid).to_f64() / middle.to_f64() * 100.0
            )),
            Column::Width => None,
        }
    }
}

/// With a real minus sign, and none before a zero.
fn minus(text: String) -> String {
    match text.strip_prefix('-') {
        Some(size) if size.bytes().any(|b| (b'1'..=b'9').contains(&b)) => format!("−{size}"),
        Some(size) => size.to_owned(),
        None => text,
    }
}

fn signed(value: f64, decimals: usize) -> String {
    minus(format!("{value:.decimals$}"))
}

/// With a comma between thousands.
fn grouped(count: i64) -> String {
    let digits = count.to_string();
    let mut out = String::new();
    for (i, digit) in digits.chars().enumerate() {
        if i > 0 && (digits.len() - i).is_multiple_of(3) {
            out.push(',');
        }
        out.push(digit);
    }
    out
}
