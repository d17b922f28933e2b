//! `pikebell calc book`.

use std::io::{Read, Write};

use desk::book::{
    BookLeg, BookOption, BookPosition, IndexGreeks, LegError, LegWorth, Scenario, VolAnswer, weight,
};
use quant::{Accuracy, Kind, PricedOn, Style, Terms};
use serde::{Deserialize, Serialize};
use serde_json::Value;

use super::{Outcome, run_cases};

pub const HELP: &str = r#"In (JSON): {"cases":[{"id","index":{"price"},"positions":[…],"shocks":[…]}…]}
  positions  {"id","price","beta","rate","yield","legs":[…]}
  legs       {"kind","style","on","strike","t_years","qty","multiplier","price","vol"}: kind call | put | stock |
             future (stock and future have no style, strike, t_years, vol); style european | american; on spot
             (when absent) | future: priced on the position's price as a future, the yield without effect;
             qty signed; price, the mark, enters no figure
  shocks     {"move","days","vol"}: move of the index as a fraction; vol {"points"} as a fraction added, or
             {"per_move"}: vol * (1 - per_move * beta * move), never below 0.01; without vol it stays
Out, in the same order: {"cases":[{"id","positions":[…],"total":{…},"shocks":[…]}]}; money
  positions  {"id","value","delta","gamma","theta_day","vega_pt","rho_pt","index_delta","index_gamma"}:
             delta and gamma per unit of the position's own price; index_delta = delta * beta * price / index,
             index_gamma = gamma * (beta * price / index)^2; a future counts 0 in value
  shocks     {"pl","positions":[pl…]}: every leg valued by its model after less before, at
             max(0, price * (1 + beta * move)) and t_years less days / 365
A case that cannot be worked out has "id" and "error", which names position, leg and field; exit status 1 then."#;

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Case {
    #[serde(default)]
    id: Value,
    index: IndexIn,
    positions: Vec<PositionIn>,
    #[serde(default)]
    shocks: Vec<ShockIn>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct IndexIn {
    price: f64,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct PositionIn {
    #[serde(default)]
    id: Value,
    price: f64,
    beta: f64,
    rate: f64,
    #[serde(rename = "yield")]
    carry_yield: f64,
    legs: Vec<LegIn>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct LegIn {
    kind: String,
    style: Option<String>,
    on: Option<String>,
    strike: Option<f64>,
    t_years: Option<f64>,
    qty: f64,
    multiplier: f64,
    #[serde(default, rename = "price")]
    _mark: Option<f64>,
    vol: Option<f64>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct ShockIn {
    #[serde(rename = "move")]
    index: f64,
    days: f64,
    vol: Option<VolIn>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields, rename_all = "snake_case")]
enum VolIn {
    Points(f64),
    PerMove(f64),
}

#[derive(Serialize)]
struct PositionOut {
    id: Value,
    value: f64,
    delta: f64,
    gamma: f64,
    theta_day: f64,
    vega_pt: f64,
    rho_pt: f64,
    index_delta: f64,
    index_gamma: f64,
}

#[derive(Serialize, Default)]
struct Total {
    value: f64,
    theta_day: f64,
    vega_pt: f64,
    rho_pt: f64,
    index_delta: f64,
    index_gamma: f64,
}

#[derive(Serialize)]
struct ShockOut {
    pl: f64,
    positions: Vec<f64>,
}

#[derive(Serialize)]
struct Answer {
    id: Value,
    positions: Vec<PositionOut>,
    total: Total,
    shocks: Vec<ShockOut>,
}

pub fn run(
    input: Box<dyn Read>,
    output: &mut dyn Write,
    accuracy: Accuracy,
) -> Result<Outcome, String> {
    run_cases(input, output, |case| work(case, accuracy))
}

/// A position's name in messages: as it is written, a text without its quotes.
fn called(id: &Value, number: usize) -> String {
    match id {
        Value::Null => format!("position {number}"),
        Value::String(text) => format!("position {text}"),
        other => format!("position {other}"),
    }
}

fn option(l: &LegIn, kind: Kind, p: &PositionIn) -> Result<LegWorth<'static>, String> {
    let need = |name: &str, value: Option<f64>| {
        value.ok_or_else(|| format!("{name} is missing; a {} needs it", l.kind))
    };
    let style = match l.style.as_deref() {
        Some("european") => Style::European,
        Some("american") => Style::American,
        None => return Err("style is missing; write european or american".into()),
        Some(other) => {
            return Err(format!(
                "style {other:?} is not known; write european or american"
            ));
        }
    };
    let on = match l.on.as_deref() {
        None | Some("spot") => PricedOn::Spot,
        Some("future") => PricedOn::Future,
        Some(other) => return Err(format!("on {other:?} is not known; write spot or future")),
    };
    let carry_yield = match on {
        PricedOn::Spot => p.carry_yield,
        PricedOn::Future => p.rate,
    };
    let terms = Terms {
        kind,
        style,
        strike: need("strike", l.strike)?,
        time: need("t_years", l.t_years)?,
        rate: p.rate,
        carry_yield,
        vol: need("vol", l.vol)?,
    };
    Ok(LegWorth::Option(BookOption::Model { terms, on }))
}

fn leg(l: &LegIn, p: &PositionIn) -> Result<BookLeg<'static>, String> {
    let worth = match l.kind.as_str() {
        "call" => option(l, Kind::Call, p)?,
        "put" => option(l, Kind::Put, p)?,
        "stock" => LegWorth::Shares(None),
        "future" => LegWorth::Future,
        other => {
            return Err(format!(
                "kind {other:?} is not known; write call, put, stock or future"
            ));
        }
    };
    Ok(BookLeg {
        units: l.qty * l.multiplier,
        worth,
    })
}

/// The numbers of a case that every figure rests on.
fn check(case: &Case) -> Result<(), String> {
    let price = |what: &str, price: f64| {
        if price > 0.0 {
            Ok(())
        } else {
            Err(format!("{what} {price} is not above zero"))
        }
    };
    price("index: price", case.index.price)?;
    for (i, p) in case.positions.iter().enumerate() {
        price(&format!("{}: price", called(&p.id, i + 1)), p.price)?;
    }
    for (i, s) in case.shocks.iter().enumerate() {
        if s.days < 0.0 {
            return Err(format!(
                "shock {}: days {} is below zero; write the days to go on by",
                i + 1,
                s.days
            ));
        }
    }
    Ok(())
}

fn work(case: Case, accuracy: Accuracy) -> Result<Answer, String> {
    check(&case)?;
    let mut positions = Vec::with_capacity(case.positions.len());
    let mut total = Total::default();
    let mut shocks: Vec<ShockOut> = case
        .shocks
        .iter()
        .map(|_| ShockOut {
            pl: 0.0,
            positions: Vec::with_capacity(case.positions.len()),
        })
        .collect();
    for (i, p) in case.positions.into_iter().enumerate() {
        let name = called(&p.id, i + 1);
        let legs = p
            .legs
            .iter()
            .enumerate()
            .map(|(j, l)| leg(l, &p).map_err(|e| format!("{name}, leg {}: {e}", j + 1)));
        let position = BookPosition {
            spot: p.price,
            legs: legs.collect::<Result<_, String>>()?,
        };
        let refused = |e: LegError| {
            let vol = p.legs.get(e.leg).and_then(|l| l.vol);
            let vol = vol.map_or_else(String::new, |vol| format!("vol {vol}: "));
            format!("{name}, leg {}: {vol}{}", e.leg + 1, e.error)
        };
        let scenario = |s: &ShockIn| Scenario {
            own: p.beta * s.index,
            days: s.days,
            vol: match s.vol {
                None => VolAnswer::Stays,
                Some(VolIn::Points(points)) => VolAnswer::Points(points),
                Some(VolIn::PerMove(k)) => VolAnswer::PerMove(k),
            },
        };
        let scenarios: Vec<Scenario> = case.shocks.iter().map(scenario).collect();
        let g = position.greeks(accuracy).map_err(refused)?;
        let profits = position.profits(&scenarios, accuracy).map_err(refused)?;
        for (shock, pl) in shocks.iter_mut().zip(profits) {
            shock.pl += pl;
            shock.positions.push(pl);
        }
        let weighed = IndexGreeks::of(g.delta, g.gamma, weight(p.beta, p.price, case.index.price));
        let out = PositionOut {
            value: g.value,
            delta: g.delta,
            gamma: g.gamma,
            theta_day: g.theta,
            vega_pt: g.vega,
            rho_pt: g.rho,
            index_delta: weighed.delta,
            index_gamma: weighed.gamma,
            id: p.id,
        };
        total.value += out.value;
        total.theta_day += out.theta_day;
        total.vega_pt += out.vega_pt;
        total.rho_pt += out.rho_pt;
        total.index_delta += out.index_delta;
        total.index_gamma += out.index_gamma;
        positions.push(out);
    }
    Ok(Answer {
        id: case.id,
        positions,
        total,
        shocks,
    })
}
