//! `pikebell calc position`.

use std::io::{Read, Write};

use desk::position::{
    AtHorizon, Extreme, Point, Position, PositionKind, PositionLeg, Scene, Shift,
};
use quant::{Accuracy, Kind, Style};
use serde::{Deserialize, Serialize};
use serde_json::Value;

use super::{Outcome, run_cases};

pub const HELP: &str = r#"In (JSON): {"cases":[{"id","spot","rate","yield","prob_vol","legs":[…],"eval":[…]}…]}
  legs  {"qty","kind","strike","t_years","entry_price","multiplier","vol","style"?}
        qty signed contracts or shares; kind call | put | stock (a stock has no strike, time, vol);
        entry_price per unit; multiplier units per contract; style european (default) | american
  eval  {"spot","elapsed_years","vol_shift"}: a price, years from now, an addition to every volatility
  prob_vol is the volatility of the price up to the horizon; rate and yield are continuously compounded
Out, in the same order: {"cases":[…]}; money per position (quantity × multiplier)
  net_cost              paid (received below zero)
  horizon_t_years       years to the first expiration; later legs are valued there. null without options
  max_profit, max_loss  at the horizon; max_loss above zero is a loss. "unlimited" where there is no bound,
  max_profit_side, max_loss_side   then with the side, "up"
  break_evens           ascending; zero_ranges [from, to] are stretches of exactly zero (to null: for ever)
  pl_at_zero            profit at a price of zero
  slope_at_infinity     profit per unit of price far above; pl_limit_at_infinity the profit there if the slope is 0
  prob_profit, expected_pl   at the horizon, lognormal with prob_vol, undiscounted
  eval                  {"value","pl","delta","gamma","theta_day","vega_pt"}; null where a Greek does not exist
A case that cannot be read has "id" and "error"; exit status 1 then."#;

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Case {
    #[serde(default)]
    id: Value,
    spot: f64,
    rate: f64,
    #[serde(rename = "yield")]
    carry_yield: f64,
    prob_vol: f64,
    legs: Vec<LegIn>,
    #[serde(default)]
    eval: Vec<EvalIn>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct LegIn {
    qty: f64,
    kind: String,
    strike: Option<f64>,
    t_years: Option<f64>,
    entry_price: f64,
    multiplier: f64,
    vol: Option<f64>,
    style: Option<String>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct EvalIn {
    spot: f64,
    #[serde(default)]
    elapsed_years: f64,
    #[serde(default)]
    vol_shift: f64,
}

#[derive(Serialize)]
struct Answer {
    id: Value,
    net_cost: f64,
    horizon_t_years: Option<f64>,
    max_profit: Option<Value>,
    max_profit_side: Option<&'static str>,
    max_loss: Option<Value>,
    max_loss_side: Option<&'static str>,
    break_evens: Vec<f64>,
    zero_ranges: Vec<(f64, Option<f64>)>,
    pl_at_zero: Option<f64>,
    slope_at_infinity: Option<f64>,
    pl_limit_at_infinity: Option<f64>,
    prob_profit: Option<f64>,
    expected_pl: Option<f64>,
    eval: Vec<EvalOut>,
}

#[derive(Serialize)]
struct EvalOut {
    value: f64,
    pl: f64,
    delta: Option<f64>,
    gamma: Option<f64>,
    theta_day: Option<f64>,
    vega_pt: Option<f64>,
}

pub fn run(
    input: Box<dyn Read>,
    output: &mut dyn Write,
    accuracy: Accuracy,
) -> Result<Outcome, String> {
    run_cases(input, output, |case| work(case, accuracy))
}

fn leg(number: usize, l: LegIn) -> Result<PositionLeg, String> {
    let need = |name: &str, value: Option<f64>| {
        value.ok_or_else(|| format!("leg {number}: {name} is missing"))
    };
    let option = |kind| -> Result<PositionKind, String> {
        let style = match l.style.as_deref() {
            None | Some("european") => Style::European,
            Some("american") => Style::American,
            Some(other) => {
                return Err(format!(
                    "leg {number}: style {other:?} is not known; write european or american"
                ));
            }
        };
        Ok(PositionKind::Option {
            kind,
            style,
            strike: need("strike", l.strike)?,
            time: need("t_years", l.t_years)?,
            vol: need("vol", l.vol)?,
        })
    };
    let instrument = match l.kind.as_str() {
        "call" => option(Kind::Call)?,
        "put" => option(Kind::Put)?,
        "stock" => PositionKind::Stock,
        other => {
            return Err(format!(
                "leg {number}: kind {other:?} is not known; write call, put or stock"
            ));
        }
    };
    Ok(PositionLeg {
        instrument,
        quantity: l.qty,
        multiplier: l.multiplier,
        entry: l.entry_price,
    })
}

pub fn limit(l: &Extreme, sign: f64) -> (Value, Option<&'static str>) {
    match l {
        Extreme::Unlimited => ("unlimited".into(), Some("up")),
        Extreme::At { profit, .. } => ((sign * profit).into(), None),
    }
}

fn point(p: &Point) -> EvalOut {
    EvalOut {
        value: p.value,
        pl: p.profit,
        delta: p.delta,
        gamma: p.gamma,
        theta_day: p.theta_day,
        vega_pt: p.vega_point,
    }
}

/// The points asked for, in their order; those of one moment and volatility are worked out
/// together.
fn evaluated(
    position: &Position,
    asked: &[EvalIn],
    accuracy: Accuracy,
) -> Result<Vec<EvalOut>, quant::Error> {
    let mut scenes: Vec<(Scene, Vec<usize>)> = Vec::new();
    for (i, e) in asked.iter().enumerate() {
        let scene = Scene {
            elapsed: e.elapsed_years,
            vols: Shift::Points(e.vol_shift).into(),
        };
        match scenes.iter_mut().find(|(s, _)| *s == scene) {
            Some((_, places)) => places.push(i),
            None => scenes.push((scene, vec![i])),
        }
    }
    let mut out: Vec<(usize, EvalOut)> = Vec::with_capacity(asked.len());
    for (scene, places) in scenes {
        let prices: Vec<f64> = places.iter().map(|i| asked[*i].spot).collect();
        let points = position.points(&scene, &prices, accuracy)?;
        out.extend(places.into_iter().zip(points.iter().map(point)));
    }
    out.sort_by_key(|(place, _)| *place);
    Ok(out.into_iter().map(|(_, point)| point).collect())
}

fn work(case: Case, accuracy: Accuracy) -> Result<Answer, String> {
    if case.legs.is_empty() {
        return Err("legs: at least one is needed".into());
    }
    let legs = case
        .legs
        .into_iter()
        .enumerate()
        .map(|(i, l)| leg(i, l))
        .collect::<Result<Vec<_>, _>>()?;
    let position = Position {
        spot: case.spot,
        rate: case.rate,
        carry_yield: case.carry_yield,
        legs,
    };
    let horizon = position
        .horizon(case.prob_vol, 0.0, accuracy)
        .map_err(|e| e.to_string())?;
    let eval = evaluated(&position, &case.eval, accuracy).map_err(|e| e.to_string())?;
    let h = horizon.as_ref();
    let most = h.map(|h| limit(&h.outline.most, 1.0));
    let least = h.map(|h| limit(&h.outline.least, -1.0));
    let of = |f: fn(&AtHorizon) -> f64| h.map(f);
    Ok(Answer {
        id: case.id,
        net_cost: position.net_cost(),
        horizon_t_years: of(|h| h.time),
        max_profit_side: most.as_ref().and_then(|m| m.1),
        max_profit: most.map(|m| m.0),
        max_loss_side: least.as_ref().and_then(|m| m.1),
        max_loss: least.map(|m| m.0),
        break_evens: h.map_or_else(Vec::new, |h| h.outline.break_evens.clone()),
        zero_ranges: h.map_or_else(Vec::new, |h| h.outline.zero_ranges.clone()),
        pl_at_zero: of(|h| h.outline.corners[0].profit),
        slope_at_infinity: of(|h| h.outline.slope_at_infinity()),
        pl_limit_at_infinity: h.and_then(|h| h.outline.limit_at_infinity),
        prob_profit: of(|h| h.chance),
        expected_pl: of(|h| h.expected),
        eval,
    })
}
