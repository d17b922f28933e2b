//! Regimes that re-value every leg: over moves of the price, and over sixteen scenarios.
//!
//! The sixteen: price 0, +⅓, −⅓, +⅔, −⅔, +1, −1 of the price scan, each with volatility up and
//! down; and ± `extreme_multiple` price scans at unchanged volatility, of whose loss
//! `extreme_cover` counts. Losses are counted from the given prices.

use quant::{Style, Terms, european_price};

use super::{RegimeCase, RegimeError, RegimeKind, RegimeLeg};

/// Parameters of the portfolio regime.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Portfolio {
    /// Largest fall, as a fraction.
    pub down: f64,
    /// The largest rise of the price that is looked at, as a fraction.
    pub up: f64,
    /// Points, half on each side.
    pub points: u32,
    /// Least requirement of an option contract, per unit.
    pub minimum_per_contract: f64,
    /// Interest a year, continuously compounded, as a fraction.
    pub rate: f64,
    /// Dividend yield a year, continuously compounded, as a fraction.
    pub carry_yield: f64,
}

fn not_below(what: &'static str, value: f64) -> Result<(), RegimeError> {
    if value >= 0.0 && value.is_finite() {
        Ok(())
    } else {
        Err(RegimeError::Number { what, value })
    }
}

fn finite(what: &'static str, value: f64) -> Result<(), RegimeError> {
    if value.is_finite() {
        Ok(())
    } else {
        Err(RegimeError::Number { what, value })
    }
}

/// What a leg is worth per unit at a price and with volatility moved.
fn worth(
    i: usize,
    leg: &RegimeLeg,
    price: f64,
    vol_by: f64,
    (rate, carry_yield): (f64, f64),
) -> Result<f64, RegimeError> {
    let RegimeKind::Option {
        kind,
        strike,
        time,
        vol,
    } = leg.kind
    else {
        return Ok(price);
    };
    let vol = vol.ok_or(RegimeError::NoVol(i))? + vol_by;
    not_below("vol", vol)?;
    // Down to nothing a price has no logarithm.
    Ok(european_price(
        &Terms {
            kind,
            style: Style::European,
            strike,
            time,
            rate,
            carry_yield,
            vol,
        },
        price.max(1e-9),
    ))
}

/// What the portfolio regime finds.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Swept {
    /// Worst loss over the points, not below zero.
    pub worst: f64,
    /// The move that has it, as a fraction of the price; zero where none loses.
    pub at: f64,
    /// Minimum for so many option contracts.
    pub minimum: f64,
}

impl Swept {
    /// The worst loss, not below the minimum.
    pub fn requirement(&self) -> f64 {
        self.worst.max(self.minimum)
    }
}

/// The portfolio regime.
///
/// # Errors
/// A case or parameters outside of what the regime defines.
pub fn portfolio(case: &RegimeCase, p: &Portfolio) -> Result<Swept, RegimeError> {
    portfolio_paying(case, p, &[])
}

/// The same where shares pay cash before options end: `paid` is its present value per unit, by the places
/// of the legs, and nothing beyond its length. A move of the price leaves it as it is, so an option is worth
/// what it would be on the price less that.
///
/// # Errors
/// As [`portfolio`].
pub fn portfolio_paying(
    case: &RegimeCase,
    p: &Portfolio,
    paid: &[f64],
) -> Result<Swept, RegimeError> {
    case.check()?;
    if case.legs.iter().any(|l| l.kind == RegimeKind::Future) {
        return Err(RegimeError::Undefined {
            kind: "future",
            regime: "portfolio",
        });
    }
    if p.points == 0 || !p.points.is_multiple_of(2) {
        return Err(RegimeError::OddPoints(p.points));
    }
    for (what, value) in [
        ("down", p.down),
        ("up", p.up),
        ("minimum_per_contract", p.minimum_per_contract),
    ] {
        not_below(what, value)?;
    }
    if p.down > 1.0 {
        return Err(RegimeError::Number {
            what: "down",
            value: p.down,
        });
    }
    finite("rate", p.rate)?;
    finite("yield", p.carry_yield)?;
    let half = p.points / 2;
    let moves =
        (1..=half).flat_map(|k| [-p.down, p.up].map(|far| far * f64::from(k) / f64::from(half)));
    let left = |i: usize, leg: &RegimeLeg, price: f64| match leg.kind {
        RegimeKind::Option { .. } => price - paid.get(i).copied().unwrap_or(0.0),
        RegimeKind::Stock | RegimeKind::Future => price,
    };
    let (mut worst, mut at) = (0.0_f64, 0.0);
    for by in moves {
        let price = case.price * (1.0 + by);
        let mut loss = 0.0;
        for (i, leg) in case.legs.iter().enumerate() {
            let units = if leg.option().is_some() {
                case.multiplier
            } else {
                1.0
            };
            // Shares are counted from the price of the underlying.
            let from = if leg.option().is_some() {
                leg.price
            } else {
                case.price
            };
            loss -= leg.quantity as f64
                * units
                * (worth(i, leg, left(i, leg, price), 0.0, (p.rate, p.carry_yield))? - from);
        }
        if loss > worst {
            (worst, at) = (loss, by);
        }
    }
    let contracts: i64 = case
        .legs
        .iter()
        .filter(|l| l.option().is_some())
        .map(|l| l.quantity.abs())
        .sum();
    Ok(Swept {
        worst,
        at,
        minimum: p.minimum_per_contract * case.multiplier * contracts as f64,
    })
}

/// Parameters of the scan regime.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Scan {
    /// Move of the price, in price.
    pub price_scan: f64,
    /// Move of volatility, as a fraction.
    pub vol_scan: f64,
    /// Price scans of the extreme moves.
    pub extreme_multiple: f64,
    /// Part of their loss that counts.
    pub extreme_cover: f64,
    /// Exposure of a short option contract, of the value of what it stands for.
    pub exposure_rate: f64,
    /// Least risk of a short option contract, in money.
    pub short_option_minimum: f64,
    /// Interest a year, continuously compounded, as a fraction.
    pub rate: f64,
    /// Yield of what the options are on; of a future the interest, as Black's formula has it.
    pub carry_yield: f64,
}

/// What the scan finds.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Scanned {
    /// Worst loss over the scenarios, not below zero.
    pub scan_risk: f64,
    /// Move of the price, in price, and of volatility where it is; zero where none loses.
    pub at: (f64, f64),
    /// Value of the options.
    pub net_option_value: f64,
    /// Exposure of the short options.
    pub exposure: f64,
    /// What must be there.
    pub requirement: f64,
}

/// Requirement of the scan regime.
///
/// # Errors
/// A case or parameters outside of what the regime defines.
pub fn scan(case: &RegimeCase, p: &Scan) -> Result<Scanned, RegimeError> {
    case.check()?;
    if case.legs.iter().any(|l| l.kind == RegimeKind::Stock) {
        return Err(RegimeError::Undefined {
            kind: "stock",
            regime: "scan",
        });
    }
    let parameters = [
        ("price_scan", p.price_scan),
        ("vol_scan", p.vol_scan),
        ("extreme_multiple", p.extreme_multiple),
        ("extreme_cover", p.extreme_cover),
        ("exposure_rate", p.exposure_rate),
        ("short_option_minimum", p.short_option_minimum),
    ];
    for (what, value) in parameters {
        not_below(what, value)?;
    }
    finite("rate", p.rate)?;
    finite("yield", p.carry_yield)?;
    for (leg, l) in case.legs.iter().enumerate() {
        if let RegimeKind::Option { vol, .. } = l.kind {
            let vol = vol.ok_or(RegimeError::NoVol(leg))?;
            // A scan of nothing takes nothing away.
            if vol <= p.vol_scan {
                return Err(RegimeError::VolScan {
                    leg,
                    vol,
                    vol_scan: p.vol_scan,
                });
            }
        }
    }
    let thirds = [0.0, 1.0, -1.0, 2.0, -2.0, 3.0, -3.0].map(|k| k / 3.0);
    let plain = thirds
        .into_iter()
        .flat_map(|k| [p.vol_scan, -p.vol_scan].map(|vol| (k * p.price_scan, vol, 1.0)));
    let extreme = [1.0, -1.0].map(|side| {
        (
            side * p.extreme_multiple * p.price_scan,
            0.0,
            p.extreme_cover,
        )
    });
    let (mut worst, mut at) = (0.0_f64, (0.0, 0.0));
    for (by, vol_by, counts) in plain.chain(extreme) {
        let mut loss = 0.0;
        for (i, leg) in case.legs.iter().enumerate() {
            let from = if leg.option().is_some() {
                leg.price
            } else {
                case.price
            };
            loss -= leg.quantity as f64
                * case.multiplier
                * (worth(i, leg, case.price + by, vol_by, (p.rate, p.carry_yield))? - from);
        }
        if loss * counts > worst {
            (worst, at) = (loss * counts, (by, vol_by));
        }
    }
    let shorts: i64 = case
        .legs
        .iter()
        .filter(|l| l.option().is_some() && l.quantity < 0)
        .map(|l| -l.quantity)
        .sum();
    let net_option_value = case.net();
    let exposure = p.exposure_rate * case.price * case.multiplier * shorts as f64;
    let risk = worst.max(p.short_option_minimum * shorts as f64);
    Ok(Scanned {
        scan_risk: worst,
        at,
        net_option_value,
        exposure,
        requirement: (risk - net_option_value).max(0.0) + exposure,
    })
}
