//! The facts of a closed campaign, and campaigns by division.

use std::collections::BTreeMap;

use desk::rules::{Needs, Subject, ruling};
use desk::{
    Campaign, MarginBasis, MarginHolding, MarginLeg, Moment, Money, Price, Structure, requirement,
};
use market::Quoter;
use plans::drill::{CycleSummed, DrillSummary, summed};
use rayon::prelude::*;

use super::{closed, tags_of};
use crate::tried::closes;
use engine::sight::{Sights, Stood, at_moment, campaign_seen, vol_standing};
use engine::state::State;

/// Tags that begin so name the drill that a campaign follows.
const DRILL: &str = "drill ";
/// Seed of the bootstrap.
const SEED: u64 = 1;

/// The facts of a closed campaign.
#[derive(Debug, Clone, PartialEq)]
pub struct Learnt {
    /// The number of the closed campaign.
    pub campaign: u64,
    /// The symbol of the underlying that it was on.
    pub symbol: String,
    /// Its sector, where it has one.
    pub sector: Option<String>,
    /// What was opened, as a kind of structure.
    pub structure: Structure,
    /// What it is called.
    pub title: String,
    /// The tags that the trader gave it.
    pub tags: Vec<String>,
    /// When it was opened.
    pub opened: Moment,
    /// When it ended.
    pub closed: Moment,
    /// Days to the first expiration of what was opened.
    pub days_left: Option<i64>,
    /// Rank of volatility at the opening.
    pub rank: Option<f64>,
    /// Profit after fees.
    pub profit: Money,
    /// Commissions of all its trades, zero or above.
    pub fees: Money,
    /// What was at risk at the opening: the most it could lose where that had a limit, otherwise its
    /// margin by strategy rules.
    pub capital: Money,
    /// Best and worst profit at the closes on the way, and at its end.
    pub best: Money,
    /// The lowest profit at a close while it was open; found as `best` is.
    pub worst: Money,
    /// The first of my rules that rang when it was closed, by number and sentence.
    pub rule: Option<(u64, String)>,
    /// It ended by itself: nothing was sent to close it.
    pub by_itself: bool,
}

impl Learnt {
    /// Calendar days it was held.
    pub fn days(&self) -> i64 {
        self.opened.days_until(self.closed.date())
    }

    /// As one of many results.
    pub fn result(&self) -> CycleSummed {
        CycleSummed {
            profit: self.profit,
            days: self.days(),
            capital: self.capital,
        }
    }
}

/// The moment at which all of an opening was there, where it filled in parts.
pub(super) fn opened_whole(campaign: &Campaign) -> Option<Moment> {
    let first = campaign.chapters.first()?;
    let same = campaign.chapters.iter().filter(|c| c.order == first.order);
    // A roll has an order of its own, so these are the parts of the opening.
    same.map(|c| c.at).max()
}

fn at_risk(state: &State, quoter: &mut Quoter, of: &Stood, at: Moment) -> Option<Money> {
    let u = state.world.underlying(&of.stands.symbol)?;
    if let Some(limit) = of.exact.as_ref().and_then(|s| s.least.limited()) {
        return Some((-limit).max(Money::ZERO));
    }
    let spot = state.world.spot(&u.symbol, at)?;
    let mut held = MarginHolding::default();
    for leg in of.stands.held.legs() {
        match leg.instrument.option() {
            Some(c) => held.add(MarginLeg {
                contract: c.clone(),
                ends: u.expiry_moment(c),
                quantity: leg.quantity,
                mark: quoter
                    .quote(&state.world, c, at)
                    .map_or(Price::ZERO, |l| l.quote.mark()),
            }),
            None => held.underlying += leg.quantity,
        }
    }
    let basis = MarginBasis::by_strategy(u, spot, at, (0.0, 0.0));
    Some(requirement(&held, &basis).total)
}

fn facts(state: &State, campaign: &Campaign) -> Option<Learnt> {
    let u = state.world.underlying(&campaign.symbol)?;
    let (mut quoter, mut sights) = (Quoter::new(), Sights::default());
    let opened = opened_whole(campaign)?;
    let last = campaign.chapters.last()?;
    let of = Stood::at(campaign, opened, u)?;
    let profit = campaign.totals.booked();
    let (mut best, mut worst) = (profit, profit);
    let marks = Needs {
        marks: true,
        ..Needs::default()
    };
    for at in closes(campaign) {
        let then = at_moment(state, at);
        let seen = campaign_seen(&then, &mut quoter, &mut sights, campaign, marks);
        if let Some(made) = seen.and_then(|s| s.profit) {
            best = best.max(made);
            worst = worst.min(made);
        }
    }
    // Which rule rang as the last order closed it: looked at the moment before.
    let before = last.at.plus_millis(-1);
    let then = at_moment(state, before);
    let seen = last
        .order
        .and_then(|_| campaign_seen(&then, &mut quoter, &mut sights, campaign, Needs::ALL));
    let rule = seen.and_then(|seen| {
        let of_it = (seen.structure, seen.symbol.as_str(), Some(campaign.id));
        let all = ruling(&state.my_rules, Subject::Campaign, of_it);
        let mut rung = all.into_iter().filter(|r| {
            let figure = seen.figure(r.rule.condition.measure, before);
            figure.is_some_and(|f| r.rule.condition.rings(f))
        });
        let c = rung.next()?.rule;
        let measure = c.condition.measure;
        Some((c.id, measure.predicate(c.condition.side, c.condition.limit)))
    });
    Some(Learnt {
        campaign: campaign.id,
        symbol: campaign.symbol.clone(),
        sector: state.world.sector(&campaign.symbol).map(str::to_owned),
        structure: of.structure,
        title: if campaign.label.name.is_empty() {
            desk::recognise(&of.stands.held, u).text
        } else {
            campaign.label.name.clone()
        },
        tags: tags_of(state, campaign),
        opened,
        closed: last.at,
        days_left: of
            .stands
            .held
            .options()
            .map(|(c, _)| opened.days_until(c.expiry))
            .min(),
        rank: vol_standing(&state.world, &campaign.symbol, opened).map(|s| s.rank),
        profit,
        fees: campaign.totals.fees,
        capital: at_risk(state, &mut quoter, &of, opened).unwrap_or_default(),
        best,
        worst,
        rule,
        by_itself: last.order.is_none(),
    })
}

/// The facts of every closed campaign, in the order they ended.
pub fn learnt(state: &State) -> Vec<Learnt> {
    let all = closed(state);
    all.into_par_iter()
        .filter_map(|c| facts(state, c))
        .collect()
}

/// What campaigns are divided by.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Division {
    /// Kind of structure.
    Structure,
    /// By the symbol of the underlying.
    Symbol,
    /// By the sector of the underlying.
    Sector,
    /// By each tag that the trader gave.
    Tag,
    /// By the drill whose rules it followed.
    Drill,
    /// The rule that rang at the end.
    Rule,
    /// Days to the expiration at the opening.
    DaysLeft,
    /// Rank of volatility at the opening.
    Rank,
    /// By the days from opening to close.
    Held,
    /// What was at risk.
    Size,
    /// The weekday of the opening.
    Weekday,
}

impl Division {
    /// All of them.
    pub const ALL: [Division; 11] = [
        Division::Structure,
        Division::Symbol,
        Division::Sector,
        Division::Tag,
        Division::Drill,
        Division::Rule,
        Division::DaysLeft,
        Division::Rank,
        Division::Held,
        Division::Size,
        Division::Weekday,
    ];

    /// The parts that a campaign belongs to, each with its place among all.
    fn parts(self, l: &Learnt) -> Vec<(usize, String)> {
        let one = |text: String| vec![(0, text)];
        match self {
            Division::Structure => one(l.structure.word().to_owned()),
            Division::Symbol => one(l.symbol.clone()),
            Division::Sector => l.sector.clone().map_or_else(Vec::new, one),
            Division::Tag => {
                let plain = l.tags.iter().filter(|t| !t.starts_with(DRILL));
                plain.map(|t| (0, t.clone())).collect()
            }
            Division::Drill => {
                let drills = l.tags.iter().filter_map(|t| t.strip_prefix(DRILL));
                drills.map(|t| (0, t.to_owned())).collect()
            }
            Division::Rule => match (&l.rule, l.by_itself) {
                (Some((_, says)), _) => one(format!("it {says}")),
                (None, true) => vec![(2, "ended by itself".into())],
                (None, false) => vec![(1, "none of them".into())],
            },
            Division::DaysLeft => l
                .days_left
                .map_or_else(Vec::new, |d| vec![within(d, &[8, 22, 46, 91], "days")]),
            Division::Rank => l.rank.map_or_else(Vec::new, |r| {
                vec![within(r.floor() as i64, &[25, 50, 75], "")]
            }),
            Division::Held => vec![within(l.days(), &[2, 8, 22, 46], "days")],
            Division::Size => {
                let units = l.capital.raw() / Money::SCALE;
                vec![within(units, &[500, 1_000, 2_500, 5_000, 10_000], "")]
            }
            Division::Weekday => {
                let day = l.opened.date().weekday();
                let place = usize::from(day.to_monday_zero_offset().unsigned_abs());
                vec![(place, format!("{day:?}"))]
            }
        }
    }
}

/// Which stretch between bounds a number lies in, its place and its words.
fn within(n: i64, bounds: &[i64], unit: &str) -> (usize, String) {
    let place = bounds.partition_point(|b| *b <= n);
    let unit = if unit.is_empty() {
        String::new()
    } else {
        format!(" {unit}")
    };
    let words = match (
        place.checked_sub(1).and_then(|i| bounds.get(i)),
        bounds.get(place),
    ) {
        (None, Some(high)) => format!("below {high}{unit}"),
        (Some(low), Some(high)) => format!("{low} to {}{unit}", high - 1),
        (Some(low), None) => format!("{low} and more{unit}"),
        (None, None) => format!("all{unit}"),
    };
    (place, words)
}

/// Campaigns of one part, and what they came to.
#[derive(Debug, Clone, PartialEq)]
pub struct LearntPart {
    /// The value that its campaigns share, in words.
    pub part: String,
    /// Numbers of the campaigns.
    pub campaigns: Vec<u64>,
    /// Those campaigns summed up together.
    pub summary: DrillSummary,
    /// Of those that made money, the part of their best profit on the way that was taken.
    pub taken: Option<f64>,
}

/// What part of the best on the way was taken, over those that made money.
fn taken(all: &[&Learnt]) -> Option<f64> {
    let won: Vec<&&Learnt> = all.iter().filter(|l| l.profit > Money::ZERO).collect();
    let best: Money = won.iter().map(|l| l.best).sum();
    let made: Money = won.iter().map(|l| l.profit).sum();
    (best > Money::ZERO).then(|| made.to_f64() / best.to_f64())
}

fn part(words: String, all: &[&Learnt]) -> LearntPart {
    let results: Vec<CycleSummed> = all.iter().map(|l| l.result()).collect();
    LearntPart {
        part: words,
        campaigns: all.iter().map(|l| l.campaign).collect(),
        summary: summed(&results, SEED),
        taken: taken(all),
    }
}

/// Campaigns by a division; without one all of them as one part.
pub fn divided(all: &[Learnt], by: Option<Division>) -> Vec<LearntPart> {
    let Some(by) = by else {
        let every: Vec<&Learnt> = all.iter().collect();
        return vec![part("all".into(), &every)];
    };
    let mut parts: BTreeMap<(usize, String), Vec<&Learnt>> = BTreeMap::new();
    for l in all {
        for key in by.parts(l) {
            parts.entry(key).or_default().push(l);
        }
    }
    let each = parts.into_iter();
    each.map(|((_, words), some)| part(words, &some)).collect()
}
