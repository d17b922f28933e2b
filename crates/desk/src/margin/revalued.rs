//! Regimes that re-value what is held: portfolio rules, the scan of a product, and any regime after
//! a move of the price.

use quant::{Style, Terms, implied_vol};

use super::{MarginBasis, MarginHolding, MarginLeg, Requirement, requirement};
use crate::number::{Money, Price};
use crate::regime::{
    Portfolio, RegimeCase, RegimeError, RegimeKind, RegimeLeg, Scan, portfolio_paying, scan,
};
use crate::time::day_number;
use crate::underlying::{MarginClass, ScanRates, UnderlyingKind};

/// What is paid on the shares before each option ends, as a present value per unit; of shares worth no
/// more than that half their price, as where options on them are quoted.
fn paid(held: &MarginHolding, basis: &MarginBasis) -> Vec<f64> {
    let most = 0.5 * basis.spot.to_f64();
    let each = held.options.iter();
    each.map(|l| basis.paid_before(l.ends).min(most)).collect()
}

/// A price below this has no logarithm that means anything.
const LEAST: f64 = 1e-9;

/// Everything held, ready to be re-valued; volatilities lie above `floor`.
fn revalued(held: &MarginHolding, basis: &MarginBasis, floor: f64) -> RegimeCase {
    let paid = paid(held, basis);
    let (spot, rate, carry_yield) = (basis.spot.to_f64(), basis.rate, basis.carry_yield);
    let option = |(l, paid): (&MarginLeg, &f64)| {
        // An option on its last day has half of it left.
        let days = day_number(l.ends.date()) - day_number(basis.today);
        let time = days.max(0) as f64 / 365.0;
        let (kind, strike) = (l.contract.kind, l.contract.strike.to_f64());
        let time = time.max(0.5 / 365.0);
        let terms = Terms {
            kind,
            style: Style::European,
            strike,
            time,
            rate,
            carry_yield,
            vol: 0.0,
        };
        let price = l.mark.to_f64().max(0.0);
        // A mark below what the option is worth without volatility says nothing about it.
        let vol = implied_vol(&terms, spot - paid, price)
            .unwrap_or(floor)
            .clamp(floor + 0.01, 5.0);
        RegimeLeg {
            quantity: l.quantity,
            kind: RegimeKind::Option {
                kind,
                strike,
                time,
                vol: Some(vol),
            },
            price,
        }
    };
    let mut legs: Vec<RegimeLeg> = held.options.iter().zip(&paid).map(option).collect();
    if held.underlying != 0 {
        let kind = if basis.kind == UnderlyingKind::Future {
            RegimeKind::Future
        } else {
            RegimeKind::Stock
        };
        legs.push(RegimeLeg {
            quantity: held.underlying,
            kind,
            price: spot,
        });
    }
    RegimeCase {
        price: spot,
        multiplier: basis.multiplier as f64,
        legs,
    }
}

/// The requirement after a move of the price, as a fraction of it: options at the volatility that
/// their marks imply.
pub fn at_move(held: &MarginHolding, basis: &MarginBasis, by: f64) -> Requirement {
    let price = (basis.spot.to_f64() * (1.0 + by)).max(0.01);
    let case = revalued(held, basis, 0.01);
    let paid = paid(held, basis);
    let each = held.options.iter().zip(&case.legs).zip(paid);
    let options = each.map(|((l, r), paid)| {
        let RegimeKind::Option {
            kind,
            strike,
            time,
            vol,
        } = r.kind
        else {
            return l.clone();
        };
        let terms = Terms {
            kind,
            style: Style::European,
            strike,
            time,
            rate: basis.rate,
            carry_yield: basis.carry_yield,
            vol: vol.unwrap_or(0.0),
        };
        let (then, now) = (
            quant::european_price(&terms, (price - paid).max(LEAST)),
            quant::european_price(&terms, basis.spot.to_f64() - paid),
        );
        // What the mark has beyond its European value stays with it.
        let mark = (then + r.price - now)
            .max(kind.intrinsic(price, strike))
            .max(0.0);
        MarginLeg {
            mark: if by == 0.0 {
                l.mark
            } else {
                Price::from_f64((mark * 1e4).round() / 1e4).unwrap_or(l.mark)
            },
            ..l.clone()
        }
    });
    let moved = MarginHolding {
        options: options.collect(),
        underlying: held.underlying,
    };
    let spot = if by == 0.0 {
        basis.spot
    } else {
        Price::from_f64((price * 1e4).round() / 1e4).unwrap_or(basis.spot)
    };
    let basis = MarginBasis {
        spot,
        ..basis.clone()
    };
    requirement(&moved, &basis)
}

/// What the options are worth at their marks.
fn value_of(options: &[MarginLeg], basis: &MarginBasis) -> Money {
    options
        .iter()
        .map(|l| l.mark.times(l.quantity * basis.multiplier))
        .sum()
}

/// Moves that portfolio rules look at, down and up (FINRA 4210(g); from memory).
fn swept_range(class: MarginClass) -> (f64, f64) {
    match class {
        MarginClass::BroadIndex => (0.10, 0.10),
        MarginClass::LargeIndex => (0.08, 0.06),
        MarginClass::Equity | MarginClass::Scan(_) => (0.15, 0.15),
    }
}

/// Worst theoretical loss over ten moves of the price, not below 37.50 for an option on 100.
pub(super) fn swept(held: &MarginHolding, basis: &MarginBasis) -> Result<Requirement, RegimeError> {
    let mut out = Requirement {
        collateral: basis.spot.times(held.underlying),
        equity: value_of(&held.options, basis),
        ..Requirement::default()
    };
    if held.options.is_empty() && held.underlying == 0 {
        return Ok(out);
    }
    let (down, up) = swept_range(basis.class);
    let rules = Portfolio {
        down,
        up,
        points: 10,
        minimum_per_contract: 0.375,
        rate: basis.rate,
        carry_yield: basis.carry_yield,
    };
    let found = portfolio_paying(&revalued(held, basis, 0.01), &rules, &paid(held, basis))?;
    if found.minimum > found.worst {
        out.add(
            "least for so many contracts".into(),
            Money::from_model(found.minimum),
        );
    } else {
        out.add(
            format!("worst theoretical loss, at {:+.1} %", found.at * 100.0).replace('-', "−"),
            Money::from_model(found.worst),
        );
    }
    Ok(out)
}

/// Sixteen scenarios less the value of the options, and exposure.
pub(super) fn scanned(
    held: &MarginHolding,
    basis: &MarginBasis,
    rates: &ScanRates,
) -> Result<Requirement, RegimeError> {
    let mut out = Requirement::default();
    let rules = Scan {
        price_scan: rates.price_scan * basis.spot.to_f64(),
        vol_scan: rates.vol_scan,
        extreme_multiple: rates.extreme_multiple,
        extreme_cover: rates.extreme_cover,
        exposure_rate: rates.exposure_rate,
        short_option_minimum: rates.short_option_minimum,
        rate: basis.rate,
        carry_yield: basis.carry_yield,
    };
    let found = scan(&revalued(held, basis, rates.vol_scan), &rules)?;
    let shorts: i64 = held.options.iter().map(|l| (-l.quantity).max(0)).sum();
    let least = rates.short_option_minimum * shorts as f64;
    let risk = Money::from_model(found.scan_risk.max(least));
    if found.scan_risk >= least && risk > Money::ZERO {
        let (by, vol) = found.at;
        let vol = if vol > 0.0 {
            ", volatility up"
        } else if vol < 0.0 {
            ", volatility down"
        } else {
            ""
        };
        out.add(
            format!(
                "worst of sixteen scenarios, at {:+.1} %{vol}",
                by / basis.spot.to_f64() * 100.0
            )
            .replace('-', "−"),
            risk,
        );
    } else if risk > Money::ZERO {
        out.add(format!("least for {shorts} sold"), risk);
    }
    // What was received for the options is owed, what was paid counts, up to the risk.
    let value = value_of(&held.options, basis).min(risk);
    if value != Money::ZERO {
        out.add(
            if value > Money::ZERO {
                "less the value of the options".into()
            } else {
                "value of the options sold".into()
            },
            -value,
        );
    }
    let exposure = Money::from_model(found.exposure);
    if exposure > Money::ZERO {
        out.add(format!("exposure of {shorts} sold"), exposure);
    }
    Ok(out)
}
