//! Conditions of drills: those of my rules on the cycle as a campaign, and those that know its legs by
//! number, its stake or a kind of event.

use std::cmp::Ordering;

use jiff::civil::Date;

use desk::Moment;
use desk::rules::{CampaignSeen, Condition, Figure, Measure, Needs, Side, Subject, sessions_to};
use desk::{Decimal, Price};

/// A kind of dated event.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum DrillEvent {
    /// Earnings; they are told after the close of their date.
    Earnings,
    /// The decision of an authority.
    Decision,
    /// Shares trade without their dividend.
    ExDividend,
}

/// What is looked at, and where it holds.
#[derive(Debug, Clone, PartialEq)]
pub enum DrillCondition {
    /// One of my rules, about the cycle.
    Rule(Condition),
    /// Profit (or loss) in percent of the stake.
    OfStake {
        /// Of the loss.
        loss: bool,
        /// So much or more.
        percent: Decimal,
    },
    /// The price of the underlying against the strike of a leg.
    PriceAtLeg {
        /// Above it or below it, or there.
        side: Side,
        /// Number of the leg, from 1.
        leg: usize,
        /// So far from its strike.
        points: Price,
    },
    /// The size of a leg's delta.
    LegDelta {
        /// Number of the leg, from 1.
        leg: usize,
        /// So much or more.
        at_or_above: Decimal,
    },
    /// At most so many sessions lie after the date of the look up to that of an event.
    Event {
        /// Which kind of event has to lie ahead.
        kind: DrillEvent,
        /// None on the date itself.
        sessions: i64,
    },
    /// Each of the conditions inside holds.
    And(Vec<DrillCondition>),
    /// One of them holds.
    Or(Vec<DrillCondition>),
    /// It does not hold.
    Not(Box<DrillCondition>),
}

/// A leg that is held, as conditions know it.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct SeenLeg {
    /// Its strike; absent of the underlying.
    pub strike: Option<Price>,
    /// Delta of one, signed; absent where it was not asked for.
    pub delta: Option<f64>,
}

/// What is seen of a cycle at a look.
#[derive(Debug, Clone)]
pub struct CycleSeen<'a> {
    /// The cycle as a campaign; its account is worth the stake.
    pub campaign: CampaignSeen,
    /// The moment of the look.
    pub at: Moment,
    /// Its legs by their numbers; nothing where one is closed.
    pub legs: &'a [Option<SeenLeg>],
    /// Dated events that are announced, by date.
    pub events: &'a [(DrillEvent, Date)],
}

/// What has to be known to judge conditions.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct DrillNeeds {
    /// Of the cycle as a campaign.
    pub campaign: Needs,
    /// Deltas of its legs.
    pub deltas: bool,
}

impl DrillNeeds {
    /// What either needs.
    pub fn and(self, o: DrillNeeds) -> DrillNeeds {
        DrillNeeds {
            campaign: self.campaign.and(o.campaign),
            deltas: self.deltas || o.deltas,
        }
    }
}

impl DrillCondition {
    /// Whether it holds; what is not known or means nothing does not.
    pub fn holds(&self, seen: &CycleSeen<'_>) -> bool {
        let leg = |number: usize| seen.legs.get(number.checked_sub(1)?)?.as_ref();
        match self {
            DrillCondition::Rule(c) => {
                let figure = seen.campaign.figure(c.measure, seen.at);
                figure.is_some_and(|f| c.rings(f))
            }
            DrillCondition::OfStake { loss, percent } => {
                let profit = seen.campaign.profit.map(|p| if *loss { -p } else { p });
                let part = profit
                    .zip(seen.campaign.account)
                    .and_then(|(profit, stake)| Figure::share(profit, stake, 100));
                part.is_some_and(|f| f.against(*percent) != Ordering::Less)
            }
            DrillCondition::PriceAtLeg {
                side,
                leg: number,
                points,
            } => {
                let Some(strike) = leg(*number).and_then(|l| l.strike) else {
                    return false;
                };
                let limit = strike + *points;
                match side {
                    Side::Above => seen.campaign.spot >= limit,
                    Side::Below => seen.campaign.spot <= limit,
                }
            }
            DrillCondition::LegDelta {
                leg: number,
                at_or_above,
            } => {
                let delta = leg(*number).and_then(|l| l.delta);
                delta.is_some_and(|d| d.abs() >= at_or_above.to_f64())
            }
            DrillCondition::Event { kind, sessions } => {
                let today = seen.at.date();
                let ahead = seen
                    .events
                    .iter()
                    .find(|(k, date)| k == kind && *date >= today);
                ahead.is_some_and(|(_, date)| sessions_to(today, *date) <= *sessions)
            }
            DrillCondition::And(all) => all.iter().all(|c| c.holds(seen)),
            DrillCondition::Or(all) => all.iter().any(|c| c.holds(seen)),
            DrillCondition::Not(one) => !one.holds(seen),
        }
    }

    /// What has to be known to judge it.
    pub fn needs(&self) -> DrillNeeds {
        let marks = Needs {
            marks: true,
            ..Needs::default()
        };
        match self {
            DrillCondition::Rule(c) => DrillNeeds {
                campaign: c.measure.needs(),
                deltas: false,
            },
            DrillCondition::OfStake { .. } => DrillNeeds {
                campaign: marks,
                deltas: false,
            },
            DrillCondition::LegDelta { .. } => DrillNeeds {
                deltas: true,
                ..DrillNeeds::default()
            },
            DrillCondition::PriceAtLeg { .. } | DrillCondition::Event { .. } => {
                DrillNeeds::default()
            }
            DrillCondition::And(all) | DrillCondition::Or(all) => all
                .iter()
                .fold(DrillNeeds::default(), |sum, c| sum.and(c.needs())),
            DrillCondition::Not(one) => one.needs(),
        }
    }

    /// It, and what it is made of.
    fn each(&self) -> Vec<&DrillCondition> {
        let mut out = vec![self];
        match self {
            DrillCondition::And(all) | DrillCondition::Or(all) => {
                out.extend(all.iter().flat_map(DrillCondition::each));
            }
            DrillCondition::Not(one) => out.extend(one.each()),
            _ => {}
        }
        out
    }

    pub(super) fn is_of_stake(&self) -> bool {
        let of_stake = |c: &&DrillCondition| matches!(c, DrillCondition::OfStake { .. });
        self.each().iter().any(of_stake)
    }

    pub(super) fn check(&self, legs: usize) -> Result<(), String> {
        for c in self.each() {
            match c {
                DrillCondition::Rule(c) if c.measure.facts().subject != Subject::Campaign => {
                    return Err(format!("{} is not about a cycle", c.measure.facts().noun));
                }
                DrillCondition::Rule(c) => c.check()?,
                DrillCondition::OfStake { percent, .. } if *percent < Decimal::ZERO => {
                    return Err(format!("{percent} is below zero; write 0 or more"));
                }
                DrillCondition::PriceAtLeg { leg, .. } | DrillCondition::LegDelta { leg, .. }
                    if *leg == 0 || *leg > legs =>
                {
                    return Err(format!("leg {leg}: legs are numbered 1 to {legs}"));
                }
                DrillCondition::Event { sessions, .. } if *sessions < 0 => {
                    return Err(format!(
                        "sessions {sessions} is below zero; write 0 or more"
                    ));
                }
                DrillCondition::And(all) | DrillCondition::Or(all) if all.is_empty() => {
                    return Err("and, or: at least one condition is needed".into());
                }
                _ => {}
            }
        }
        Ok(())
    }

    /// Before the entry nothing is held: what is about profit, legs or days open means nothing.
    pub(super) fn check_before_entry(&self) -> Result<(), String> {
        use Measure as M;
        for c in self.each() {
            let known = match c {
                DrillCondition::Rule(c) => {
                    matches!(c.measure, M::DaysLeft | M::Price | M::Vol | M::Rank)
                        || matches!(c.measure, M::EarningsIn | M::ExDateIn)
                }
                DrillCondition::OfStake { .. }
                | DrillCondition::PriceAtLeg { .. }
                | DrillCondition::LegDelta { .. } => false,
                _ => true,
            };
            if !known {
                return Err(
                    "nothing is held yet; before an entry there are price, vol, rank, days_left and event"
                        .into(),
                );
            }
        }
        Ok(())
    }
}
