//! The daily record: what the book is at a close, and what made the profit of the day.

use std::collections::{BTreeSet, HashMap};

use desk::calendar::close_of;
use desk::life::{Look, Parts, held_by, life};
use desk::{
    AtRisk, BookGreeks, Campaign, DAY_MOVES, DAY_VERSION, Day, DayFigures, Moment, Money,
    Underlying, UnderlyingKind,
};
use market::Quoter;

use crate::campaigns::all_open;
use crate::life::look;
use crate::money::{account_value, buying_power, total_requirement, unvalued};
use crate::sight::{at_risk, index_price, largest, priced};
use crate::state::State;

/// The looks at the close before, by campaign. Only a memory.
#[derive(Default)]
pub struct ClosingLooks(HashMap<u64, Look>);

/// The row of the close that the state stands at.
pub(crate) fn day_of(state: &State, quoter: &mut Quoter, memory: &mut ClosingLooks) -> Day {
    let close = state.clock.now;
    let value = account_value(state, quoter);
    let before = state.days.last();
    let since = before.and_then(|d| Some(close_of(d.date.parse().ok()?)));
    let deposits = match since {
        Some(then) => state.account.paid_in_since(then),
        None => -state.account.balance(desk::Book::Capital),
    };
    let profit = value - before.map_or(Money::ZERO, |d| d.value) - deposits;
    let mut missing: Vec<String> = unvalued(state, quoter).iter().map(|i| i.label()).collect();
    let parts = parts(state, quoter, memory, (since, close), profit, &mut missing);
    let margin = total_requirement(state, quoter);
    let mut figures = DayFigures {
        deposits,
        parts,
        cash: state.account.balance(desk::Book::Cash),
        buying_power: buying_power(state, quoter),
        margin,
        missing,
        ..DayFigures::default()
    };
    let mut risks: Vec<(&Campaign, Money)> = Vec::new();
    let open = all_open(state);
    for campaign in &open {
        let risk = at_risk(state, quoter, campaign);
        risks.push((*campaign, risk));
        add_campaign(state, quoter, campaign, risk, &mut figures);
    }
    figures.largest = largest(state, &risks);
    Day {
        date: close.date().to_string(),
        version: DAY_VERSION,
        value,
        figures: Some(figures),
    }
}

/// Adds a campaign's Greeks, its profit at moves of the index, and its capital by direction.
fn add_campaign(
    state: &State,
    quoter: &mut Quoter,
    campaign: &Campaign,
    risk: Money,
    figures: &mut DayFigures,
) {
    let (world, at) = (&state.world, state.clock.now);
    let Some(u) = world.underlying(&campaign.symbol) else {
        return;
    };
    let held = state.account.holding_of(campaign.id);
    let spot = world.spot(&campaign.symbol, at).map(desk::Price::to_f64);
    let (Some(spot), Some(legs)) = (spot, priced(state, quoter, &held, u)) else {
        return;
    };
    let index = index_price(state);
    if let Ok(each) = legs.greeks(spot) {
        let mut sum = BookGreeks::default();
        let g = &mut figures.greeks;
        for leg in each {
            sum.add(&leg, u.beta, spot, index);
            g.gamma += leg.gamma * (u.beta * spot / index).powi(2);
            g.rho += leg.rho;
        }
        g.lean += sum.lean;
        g.lean_money += sum.lean * index * 0.01;
        g.theta += sum.theta;
        g.vega += sum.vega;
    }
    let mut spots = vec![spot];
    spots.extend(DAY_MOVES.map(|m| (spot * (1.0 + u.beta * m as f64 / 100.0)).max(0.0)));
    let values = legs.values(&spots);
    let profits: Vec<f64> = values[1..].iter().map(|v| v - values[0]).collect();
    for (sum, profit) in figures.at_moves.iter_mut().zip(&profits) {
        *sum += Money::from_model(*profit);
    }
    let (down, still, up) = (profits[0], profits[2], profits[4]);
    let AtRisk {
        up: rises,
        down: falls,
        still: stays,
    } = &mut figures.at_risk;
    if up > still && up >= down {
        *rises += risk;
    } else if down > still {
        *falls += risk;
    } else {
        *stays += risk;
    }
}

/// What made the profit between two closes.
fn parts(
    state: &State,
    quoter: &mut Quoter,
    memory: &mut ClosingLooks,
    (since, close): (Option<Moment>, Moment),
    profit: Money,
    missing: &mut Vec<String>,
) -> Parts {
    let mut sum = Parts::default();
    let mut now = HashMap::new();
    for campaign in state.account.campaigns() {
        let last = campaign.chapters.last().map(|c| c.at);
        let open = state.account.lots_of(campaign.id).next().is_some();
        if !open && last.is_none_or(|at| since.is_some_and(|since| at <= since)) {
            continue;
        }
        let Some(u) = state.world.underlying(&campaign.symbol) else {
            continue;
        };
        let told = if holds_futures(campaign, u) {
            None
        } else {
            campaign_parts(state, quoter, memory, campaign, u, (since, close))
        };
        match told {
            Some((parts, look)) => {
                sum = sum.plus(parts);
                now.insert(campaign.id, look);
            }
            None => missing.push(format!(
                "{}: its profit is not told in parts",
                state
                    .account
                    .title(campaign.id, u)
                    .unwrap_or_else(|| campaign.symbol.clone())
            )),
        }
    }
    memory.0 = now;
    let explained = sum.delta + sum.gamma + sum.theta + sum.vega + sum.trades;
    Parts {
        total: profit,
        other: (profit - sum.fees).to_f64() - explained,
        ..sum
    }
}

/// Futures themselves are settled every day: their profit is not told in parts.
fn holds_futures(campaign: &Campaign, u: &Underlying) -> bool {
    let itself = |(i, _): &(desk::Instrument, i64)| i.option().is_none();
    u.kind == UnderlyingKind::Future && campaign.chapters.iter().any(|c| c.legs.iter().any(itself))
}

/// Parts of one campaign between two closes, and the look at the later one; nothing where the
/// market of a look is not known.
fn campaign_parts(
    state: &State,
    quoter: &mut Quoter,
    memory: &mut ClosingLooks,
    campaign: &Campaign,
    u: &Underlying,
    (since, close): (Option<Moment>, Moment),
) -> Option<(Parts, Look)> {
    let behind = |at: Moment| since.is_none_or(|since| at > since) && at <= close;
    let chapters = campaign.chapters.iter().map(|c| c.at);
    let mut moments: BTreeSet<Moment> = chapters.filter(|at| behind(*at)).collect();
    moments.insert(close);
    let before = since.filter(|since| !held_by(&campaign.chapters, *since).is_empty());
    moments.extend(before);
    let mut looks = Vec::with_capacity(moments.len());
    for at in moments {
        let kept = memory.0.remove(&campaign.id).filter(|look| look.at == at);
        looks.push(match kept {
            Some(look) => look,
            None => look(state, quoter, campaign, at)?,
        });
    }
    let strides = life(&campaign.chapters, &looks, u)?;
    let own = strides.iter().filter(|s| behind(s.at));
    let parts = own.fold(Parts::default(), |sum, s| sum.plus(s.parts));
    Some((parts, looks.pop()?))
}
