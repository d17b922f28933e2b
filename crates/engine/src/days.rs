//! The daily record: what the book is at a close, and what made the profit of the day.

use std::collections::{BTreeSet, HashMap};

use desk::calendar::close_of;
use desk::life::{Look, Looked, Parts, held_by, life};
use desk::{
    AtRisk, BookGreeks, Campaign, DAY_MOVES, DAY_VERSION, Day, DayFigures, Moment, Money,
    Underlying,
};
use market::Quoter;
use rayon::prelude::*;

use crate::life::{holds_futures, look};
use crate::money::{account_value, buying_power, total_requirement, unvalued};
use crate::sight::{Held, all_held, at_risk, index_price, largest};
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
    let all = all_held(state, quoter);
    let parts = parts(
        state,
        quoter,
        memory,
        &all,
        (since, close),
        profit,
        &mut missing,
    );
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
    let index = index_price(state);
    // What a campaign makes at moves of the index takes most of the time.
    let beta = |held: &Held<'_>| state.world.beta(&held.underlying.symbol, close);
    let moved: Vec<[f64; 5]> = all.par_iter().map(|h| at_moves(h, beta(h))).collect();
    for (held, moved) in all.iter().zip(moved) {
        let beta = beta(held);
        let risk = at_risk(state, quoter, held.campaign);
        risks.push((held.campaign, risk));
        add_campaign(held, (beta, index), moved, risk, &mut figures);
    }
    figures.largest = largest(state, &risks);
    Day {
        date: close.date().to_string(),
        version: DAY_VERSION,
        value,
        figures: Some(figures),
    }
}

/// Profit of what a campaign holds at each move of the index.
fn at_moves(held: &Held<'_>, beta: f64) -> [f64; 5] {
    let mut spots = vec![held.spot];
    spots.extend(DAY_MOVES.map(|m| (held.spot * (1.0 + beta * m as f64 / 100.0)).max(0.0)));
    let values = held.values(&spots);
    std::array::from_fn(|i| values[i + 1] - values[0])
}

/// Adds a campaign's Greeks, its profit at moves of the index, and its capital by direction.
fn add_campaign(
    held: &Held<'_>,
    (beta, index): (f64, f64),
    profits: [f64; 5],
    risk: Money,
    figures: &mut DayFigures,
) {
    let (spot, greeks) = (held.spot, held.greeks());
    let mut sum = BookGreeks::default();
    sum.add(&greeks, beta, spot, index);
    let g = &mut figures.greeks;
    g.lean += sum.lean;
    g.lean_money += sum.lean * index * 0.01;
    g.gamma += greeks.gamma * (beta * spot / index).powi(2);
    g.theta += greeks.theta;
    g.vega += greeks.vega;
    g.rho += greeks.rho;
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
    all: &[Held<'_>],
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
            let held = all.iter().find(|h| h.campaign.id == campaign.id);
            campaign_parts(state, quoter, memory, campaign, (u, held), (since, close))
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
    let explained = sum.explained() + sum.dividends + sum.trades;
    Parts {
        total: profit,
        other: (profit - sum.fees).to_f64() - explained,
        ..sum
    }
}

/// Parts of one campaign between two closes, and the look at the later one; nothing where the
/// market of a look is not known.
fn campaign_parts(
    state: &State,
    quoter: &mut Quoter,
    memory: &mut ClosingLooks,
    campaign: &Campaign,
    (u, held): (&Underlying, Option<&Held<'_>>),
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
        let ends_here = campaign.chapters.iter().any(|c| c.at == at);
        looks.push(match (kept, held) {
            (Some(look), _) => look,
            // What is held now was made ready already.
            (None, Some(held)) if at == close && !ends_here => look_of(held, at)?,
            _ => look(state, quoter, campaign, at)?,
        });
    }
    let strides = life(&campaign.chapters, &looks, u)?;
    let own = strides.iter().filter(|s| behind(s.at));
    let parts = own.fold(Parts::default(), |sum, s| sum.plus(s.parts));
    Some((parts, looks.pop()?))
}

/// The look at what a campaign holds; nothing where something of it has no market.
fn look_of(held: &Held<'_>, at: Moment) -> Option<Look> {
    let holds = held_by(&held.campaign.chapters, at).len();
    let looked = held.each.iter().map(|one| {
        let looked = Looked {
            mark: one.market.quote.mark(),
            vol: one.market.vol,
            rate: if one.instrument.option().is_some() {
                one.market.rate
            } else {
                0.0
            },
            greeks: one.greeks,
        };
        (one.instrument.clone(), looked)
    });
    (holds == held.each.len()).then(|| Look {
        at,
        spot: held.spot,
        legs: looked.collect(),
    })
}
