//! `pikebell calc margin`.

use std::io::{Read, Write};

use desk::regime::{
    self, Portfolio, RegimeCase, RegimeError, RegimeKind, RegimeLeg, Scan, Strategy,
};
use quant::{Accuracy, Kind};
use serde::{Deserialize, Serialize};
use serde_json::Value;

use super::{Outcome, run_cases};

pub const HELP: &str = r#"In (JSON): {"cases":[{"id","regime","underlying":{"price","multiplier"},"params":{…},"legs":[…]}…]}, one underlying a case
  legs    {"qty","kind","strike","t_years","price","vol"}: qty signed contracts, shares or futures; kind call | put | stock | future
          (a stock and a future have no strike, time, price or vol); vol where legs are re-valued
  regime and its params
    strategy   {"naked","minimum","stock_initial"}: rates such as 0.20, 0.10, 0.50. The least total over all legal pairings
    portfolio  {"down","up","points","minimum_per_contract","rate","yield"}: fractions such as 0.15, 0.15, an even number such as 10
    scan       {"price_scan","vol_scan","extreme_multiple","extreme_cover","exposure_rate","short_option_minimum","rate"}: price_scan
               in price, vol_scan added to vol, short_option_minimum in money per contract
Out, in the same order: {"cases":[…]}, in money, nothing rounded
  requirement      margin
  needed_at_order  the same and what is paid for the options
  tied_up          requirement and net (strategy, scan), or requirement (portfolio); net is paid for the options, received below zero
  leg_by_leg       sum of tied_up of each leg alone; saved = leg_by_leg − tied_up
  groups           strategy: [{"legs":[{"leg","qty"}],"requirement"}], leg counted from 0; every contract and share once
  scan_risk, net_option_value, exposure   scan
A case that cannot be read, or that its regime does not define, has "id" and "error"; exit status 1 then."#;

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct CaseIn {
    #[serde(default)]
    id: Value,
    regime: String,
    underlying: UnderlyingIn,
    params: Value,
    legs: Vec<LegIn>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct UnderlyingIn {
    price: f64,
    multiplier: f64,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct LegIn {
    qty: f64,
    kind: String,
    strike: Option<f64>,
    t_years: Option<f64>,
    price: Option<f64>,
    vol: Option<f64>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct StrategyIn {
    naked: f64,
    minimum: f64,
    stock_initial: f64,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct PortfolioIn {
    down: f64,
    up: f64,
    points: u32,
    minimum_per_contract: f64,
    rate: f64,
    #[serde(rename = "yield")]
    carry_yield: f64,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct ScanIn {
    price_scan: f64,
    vol_scan: f64,
    extreme_multiple: f64,
    extreme_cover: f64,
    exposure_rate: f64,
    short_option_minimum: f64,
    rate: f64,
}

/// A regime with its parameters.
enum Regime {
    Strategy(Strategy),
    Portfolio(Portfolio),
    Scan(Scan),
}

#[derive(Serialize, Default)]
struct Answer {
    id: Value,
    requirement: f64,
    needed_at_order: f64,
    tied_up: f64,
    leg_by_leg: f64,
    saved: f64,
    #[serde(skip_serializing_if = "Option::is_none")]
    groups: Option<Vec<GroupOut>>,
    #[serde(flatten, skip_serializing_if = "Option::is_none")]
    scanned: Option<ScannedOut>,
}

#[derive(Serialize)]
struct GroupOut {
    legs: Vec<GroupLeg>,
    requirement: f64,
}

#[derive(Serialize)]
struct GroupLeg {
    leg: usize,
    qty: i64,
}

#[derive(Serialize)]
struct ScannedOut {
    scan_risk: f64,
    net_option_value: f64,
    exposure: f64,
}

pub fn run(input: Box<dyn Read>, output: &mut dyn Write, _: Accuracy) -> Result<Outcome, String> {
    run_cases(input, output, answer)
}

fn answer(read: CaseIn) -> Result<Answer, String> {
    let regime = regime_of(&read.regime, read.params)?;
    let legs = read
        .legs
        .iter()
        .enumerate()
        .map(|(i, l)| leg(i, l, read.underlying.price))
        .collect::<Result<Vec<_>, _>>()?;
    if legs.is_empty() {
        return Err("there are no legs".into());
    }
    let case = RegimeCase {
        price: read.underlying.price,
        multiplier: read.underlying.multiplier,
        legs,
    };
    let mut out = Answer {
        id: read.id,
        ..Answer::default()
    };
    out.requirement = match &regime {
        Regime::Strategy(rules) => {
            let (requirement, groups) =
                regime::strategy(&case, rules).map_err(|e| e.to_string())?;
            let one = |(leg, qty): &(usize, i64)| GroupLeg {
                leg: *leg,
                qty: *qty,
            };
            out.groups = Some(
                groups
                    .iter()
                    .map(|g| GroupOut {
                        legs: g.legs.iter().map(one).collect(),
                        requirement: g.requirement,
                    })
                    .collect(),
            );
            requirement
        }
        Regime::Portfolio(rules) => regime::portfolio(&case, rules)
            .map_err(|e| e.to_string())?
            .requirement(),
        Regime::Scan(rules) => {
            let s = regime::scan(&case, rules).map_err(|e| e.to_string())?;
            out.scanned = Some(ScannedOut {
                scan_risk: s.scan_risk,
                net_option_value: s.net_option_value,
                exposure: s.exposure,
            });
            s.requirement
        }
    };
    out.needed_at_order = out.requirement + case.net().max(0.0);
    out.tied_up = tied_up(&regime, &case, out.requirement);
    for alone in case.alone() {
        let requirement = requirement(&regime, &alone).map_err(|e| e.to_string())?;
        out.leg_by_leg += tied_up(&regime, &alone, requirement);
    }
    out.saved = out.leg_by_leg - out.tied_up;
    Ok(out)
}

fn requirement(regime: &Regime, case: &RegimeCase) -> Result<f64, RegimeError> {
    match regime {
        Regime::Strategy(rules) => Ok(regime::strategy(case, rules)?.0),
        Regime::Portfolio(rules) => Ok(regime::portfolio(case, rules)?.requirement()),
        Regime::Scan(rules) => Ok(regime::scan(case, rules)?.requirement),
    }
}

/// Under the portfolio regime an option's value stays in the equity.
fn tied_up(regime: &Regime, case: &RegimeCase, requirement: f64) -> f64 {
    if let Regime::Portfolio(_) = regime {
        requirement
    } else {
        requirement + case.net()
    }
}

fn regime_of(name: &str, params: Value) -> Result<Regime, String> {
    let wrong = |e: serde_json::Error| format!("params of {name}: {e}");
    match name {
        "strategy" => {
            let p: StrategyIn = serde_json::from_value(params).map_err(wrong)?;
            Ok(Regime::Strategy(Strategy {
                naked: p.naked,
                minimum: p.minimum,
                stock_initial: p.stock_initial,
                puts_secured: false,
            }))
        }
        "portfolio" => {
            let p: PortfolioIn = serde_json::from_value(params).map_err(wrong)?;
            let PortfolioIn {
                down,
                up,
                points,
                minimum_per_contract,
                rate,
                carry_yield,
            } = p;
            Ok(Regime::Portfolio(Portfolio {
                down,
                up,
                points,
                minimum_per_contract,
                rate,
                carry_yield,
            }))
        }
        "scan" => {
            let p: ScanIn = serde_json::from_value(params).map_err(wrong)?;
            let ScanIn {
                price_scan,
                vol_scan,
                extreme_multiple,
                extreme_cover,
                exposure_rate,
                short_option_minimum,
                rate,
            } = p;
            Ok(Regime::Scan(Scan {
                price_scan,
                vol_scan,
                extreme_multiple,
                extreme_cover,
                exposure_rate,
                short_option_minimum,
                rate,
                carry_yield: rate,
            }))
        }
        _ => Err(format!(
            "regime {name:?} is not known; write strategy, portfolio or scan"
        )),
    }
}

fn leg(i: usize, l: &LegIn, underlying: f64) -> Result<RegimeLeg, String> {
    if l.qty.fract() != 0.0 || l.qty == 0.0 || l.qty.abs() > 1e9 {
        return Err(format!(
            "leg {i}: qty {} is not a whole number of contracts or shares other than zero",
            l.qty
        ));
    }
    let quantity = l.qty as i64;
    let needed = |name: &str, value: Option<f64>| {
        value.ok_or_else(|| format!("leg {i}: a {} needs {name}", l.kind))
    };
    let option = |kind| {
        let option = RegimeKind::Option {
            kind,
            strike: needed("strike", l.strike)?,
            time: needed("t_years", l.t_years)?,
            vol: l.vol,
        };
        Ok(RegimeLeg {
            quantity,
            kind: option,
            price: needed("price", l.price)?,
        })
    };
    let own = |kind| {
        if l.strike.is_some() || l.t_years.is_some() {
            return Err(format!(
                "leg {i}: a {} has no strike and no t_years",
                l.kind
            ));
        }
        Ok(RegimeLeg {
            quantity,
            kind,
            price: l.price.unwrap_or(underlying),
        })
    };
    match l.kind.as_str() {
        "call" => option(Kind::Call),
        "put" => option(Kind::Put),
        "stock" => own(RegimeKind::Stock),
        "future" => own(RegimeKind::Future),
        other => Err(format!(
            "leg {i}: kind {other:?} is not known; write call, put, stock or future"
        )),
    }
}
