//! The road not taken: what each of my rules, or one that is asked about, would have made of closed
//! campaigns. Each is held as it was opened and left at the first close at which the rule rings, at the
//! far side of every leg and with fees; one that never rings holds to the end.

use desk::rules::{Condition, Rule, Scope, Subject, ruling};
use desk::{Campaign, Moment, Money};
use plans::drill::{DrillCondition, Interval, bootstrap_mean};
use rayon::prelude::*;

use super::closed;
use super::facts::opened_whole;
use crate::drills::{Opening, Why, road};
use engine::state::State;

/// Seed of the bootstrap.
const SEED: u64 = 1;

/// A way that could have been taken.
#[derive(Debug, Clone, PartialEq)]
pub struct Road {
    /// In words, with whom a rule is for.
    pub name: String,
    /// The rule, where it is one of mine.
    pub rule: Option<u64>,
}

/// What a road would have made of a campaign.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct RoadTaken {
    /// Profit after fees.
    pub profit: Money,
    /// When it would have been left.
    pub left: Moment,
    /// It would be open still: marked at the last close.
    pub so_far: bool,
}

/// A campaign, and what each road would have made of it; nothing where a rule is not for it, or what was
/// opened cannot be followed.
#[derive(Debug, Clone, PartialEq)]
pub struct CampaignRoads {
    /// The number of the closed campaign.
    pub campaign: u64,
    /// What it made.
    pub made: Money,
    /// By the places of the roads.
    pub roads: Vec<Option<RoadTaken>>,
}

/// One road over all campaigns that it applies to.
#[derive(Debug, Clone, PartialEq)]
pub struct RoadSummary {
    /// The road that was not taken.
    pub road: Road,
    /// Over so many campaigns.
    pub count: usize,
    /// What they made.
    pub made: Money,
    /// What the road would have made.
    pub would: Money,
    /// How many did better by hand.
    pub better: usize,
    /// Mean of what was made by hand above the road, and its interval.
    pub mean: Option<f64>,
    /// Where the true `mean` lies with 95 % confidence, in money.
    pub interval: Option<Interval>,
}

fn opening(state: &State, campaign: &Campaign) -> Option<Opening> {
    let at = opened_whole(campaign)?;
    let first = campaign.chapters.first()?;
    let opening = |c: &&desk::Chapter| c.at <= at && c.order == first.order;
    let fees = campaign.chapters.iter().filter(opening).map(|c| c.fees);
    let stands = campaign.standing(at)?;
    let day = at.date().to_string();
    let account = state.days.iter().rev().find(|d| d.date < day);
    Some(Opening {
        symbol: campaign.symbol.clone(),
        at,
        cash: stands.entry,
        futures: stands.futures,
        held: stands.held,
        fees: fees.sum(),
        account: account.map(|d| d.value),
    })
}

fn taken(state: &State, opening: &Opening, leave: Vec<DrillCondition>) -> Option<RoadTaken> {
    let done = road(&state.world, opening, leave, state.clock.now)?;
    Some(RoadTaken {
        profit: done.profit(),
        left: done.left,
        so_far: done.why == Why::To,
    })
}

/// What each of my rules about campaigns, a rule that is asked about, and holding to the end would have
/// made: roads, campaigns, and each road over all.
pub fn roads(state: &State, asked: Option<Condition>) -> (Vec<RoadSummary>, Vec<CampaignRoads>) {
    let of_campaigns = |r: &&Rule| r.on && r.condition.measure.facts().subject == Subject::Campaign;
    let mine: Vec<&Rule> = state.my_rules.iter().filter(of_campaigns).collect();
    let words = |scope: &Scope, c: &Condition| {
        let what = match scope {
            Scope::All => String::new(),
            Scope::Campaign(_) => format!(" campaign{}", scope.words(|_| None)),
            _ => format!(" a campaign{}", scope.words(|_| None)),
        };
        let predicate = c.measure.predicate(c.side, c.limit);
        format!("leave{what} when it {predicate}")
    };
    let mut all: Vec<(Road, Option<Condition>)> = vec![(
        Road {
            name: "hold to the end".into(),
            rule: None,
        },
        None,
    )];
    all.extend(asked.map(|c| {
        let road = Road {
            name: words(&Scope::All, &c),
            rule: None,
        };
        (road, Some(c))
    }));
    all.extend(mine.iter().map(|r| {
        let road = Road {
            name: words(&r.scope, &r.condition),
            rule: Some(r.id),
        };
        (road, Some(r.condition))
    }));
    let campaigns = closed(state);
    let each: Vec<CampaignRoads> = campaigns
        .into_par_iter()
        .filter_map(|c| {
            let opening = opening(state, c)?;
            let u = state.world.underlying(&c.symbol)?;
            let structure = desk::Structure::of(&opening.held, u);
            let of_it = (structure, c.symbol.as_str(), Some(c.id));
            let for_it: Vec<u64> = ruling(&state.my_rules, Subject::Campaign, of_it)
                .iter()
                .map(|r| r.rule.id)
                .collect();
            let roads = all.iter().map(|(road, condition)| {
                let applies = road.rule.is_none_or(|id| for_it.contains(&id));
                let leave = condition.iter().map(|c| DrillCondition::Rule(*c)).collect();
                applies.then(|| taken(state, &opening, leave)).flatten()
            });
            Some(CampaignRoads {
                campaign: c.id,
                made: c.totals.booked(),
                roads: roads.collect(),
            })
        })
        .collect();
    let summary = |(i, (road, _)): (usize, &(Road, Option<Condition>))| {
        let pairs: Vec<(Money, Money)> = each
            .iter()
            .filter_map(|c| Some((c.made, c.roads[i]?.profit)))
            .collect();
        let above: Vec<f64> = pairs.iter().map(|(m, w)| (*m - *w).to_f64()).collect();
        RoadSummary {
            road: road.clone(),
            count: pairs.len(),
            made: pairs.iter().map(|(m, _)| *m).sum(),
            would: pairs.iter().map(|(_, w)| *w).sum(),
            better: pairs.iter().filter(|(m, w)| m > w).count(),
            mean: plans::drill::mean(&above),
            interval: bootstrap_mean(&above, SEED),
        }
    };
    let summaries = all.iter().enumerate().map(summary).collect();
    (summaries, each)
}
