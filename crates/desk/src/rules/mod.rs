//! My rules: the trader's own limits and habits, none of them filled in by the program.
//!
//! A rule is data: whom it is for ([`Scope`]), what it looks at and where it rings ([`Condition`]),
//! and when it rings again. [`judge`] holds rules against what is seen of the book ([`BookSeen`]),
//! a pure function; [`Rung::after`] says what follows from a judgement. Bells on a measure,
//! checks of a ticket and limits of finders read the same conditions.

mod measure;
mod seen;

use std::collections::BTreeMap;

pub use measure::{
    AccountNeeds, Group, MEASURES, Measure, MeasureFacts, Needs, Side, Subject, Unit,
};
pub use seen::{
    AccountSeen, BookSeen, CampaignSeen, Figure, Largest, NextDate, SeenGreeks, SoldLeg, TradeSeen,
    sessions_to,
};

use quant::Kind;

use crate::book::zones_of;
use crate::holding::Holding;
use crate::naming::Structure;
use crate::number::{Decimal, Money};
use crate::shape::Shape;
use crate::time::Moment;

/// Whom a rule is for.
#[derive(Debug, Clone, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Scope {
    /// Every campaign, or the account.
    All,
    /// Campaigns that hold one kind of structure.
    Structure(Structure),
    /// Campaigns in one symbol.
    Symbol(String),
    /// The open campaign of this number.
    Campaign(u64),
}

impl Scope {
    /// What follows "campaign", with a space before it; nothing where all are meant. `title` names a
    /// campaign.
    pub fn words(&self, title: impl Fn(u64) -> Option<String>) -> String {
        match self {
            Scope::All => String::new(),
            Scope::Structure(s) => format!(" that is a {}", s.word()),
            Scope::Symbol(s) => format!(" in {s}"),
            Scope::Campaign(id) => {
                title(*id).map_or_else(|| format!(" {id}"), |t| format!(" {id} ({t})"))
            }
        }
    }

    /// How narrow it is: of two rules on one measure the narrower counts.
    fn narrow(&self) -> u8 {
        match self {
            Scope::All => 0,
            Scope::Structure(_) => 1,
            Scope::Symbol(_) => 2,
            Scope::Campaign(_) => 3,
        }
    }

    /// Whether it covers a campaign, or a trade before it is one.
    fn covers(&self, structure: Structure, symbol: &str, campaign: Option<u64>) -> bool {
        match self {
            Scope::All => true,
            Scope::Structure(s) => *s == structure,
            Scope::Symbol(s) => s == symbol,
            Scope::Campaign(id) => campaign == Some(*id),
        }
    }
}

/// A measure, and where it rings.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub struct Condition {
    /// What is looked at.
    pub measure: Measure,
    /// On which side of the limit it rings.
    pub side: Side,
    /// The limit, in the unit of the measure.
    pub limit: Decimal,
}

impl Condition {
    /// Whether a figure rings: beyond the limit, and at it where the measure is one that is
    /// reached.
    pub fn rings(&self, figure: Figure) -> bool {
        use std::cmp::Ordering::{Equal, Greater, Less};
        match (figure.against(self.limit), self.side) {
            (Greater, Side::Above) | (Less, Side::Below) => true,
            (Equal, _) => self.measure.facts().reached,
            _ => false,
        }
    }

    /// Whether a figure has gone back from the limit by at least so much; by nothing: no longer
    /// rings.
    pub fn is_back(&self, figure: Figure, by: Decimal) -> bool {
        use std::cmp::Ordering::{Greater, Less};
        let (at, back) = match self.side {
            Side::Above => (self.limit - by, figure.against(self.limit - by) != Greater),
            Side::Below => (self.limit + by, figure.against(self.limit + by) != Less),
        };
        // Gone back by nothing is to be where it does not ring.
        back && (at != self.limit || !self.rings(figure))
    }

    /// How far a figure has come toward the limit: 1 where it is reached, 0 nowhere near.
    pub fn nearness(&self, figure: Figure) -> f64 {
        let (seen, limit) = (figure.to_f64(), self.limit.to_f64());
        let part = match self.side {
            Side::Above if limit > 0.0 => seen / limit,
            Side::Below if seen > 0.0 => limit / seen,
            _ => 1.0 / (1.0 + (seen - limit).abs()),
        };
        part.clamp(0.0, 1.0)
    }

    /// "part of max profit made: 66.3 %, set at 65 %".
    pub fn told(&self, figure: Figure) -> String {
        let facts = self.measure.facts();
        format!(
            "{}: {}, set at {}",
            facts.noun,
            figure.words(facts.unit),
            facts.unit.write(&self.limit.to_string())
        )
    }

    /// What is wrong with it, if anything is.
    ///
    /// # Errors
    /// What is wrong, and what would be right.
    pub fn check(&self) -> Result<(), String> {
        let facts = self.measure.facts();
        if !facts.sides.contains(&self.side) {
            return Err(format!(
                "{} rings {} its limit; write \"{}\"",
                facts.noun,
                facts.sides[0].word(),
                facts.sides[0].word()
            ));
        }
        let signed = matches!(
            self.measure,
            Measure::Lean
                | Measure::LeanOfAccount
                | Measure::Theta
                | Measure::Vega
                | Measure::VolSince
                | Measure::ToSoldStrike
                | Measure::ToBreakEven
                | Measure::CampaignLean
                | Measure::CampaignDelta
                | Measure::CampaignTheta
                | Measure::CampaignVega
        );
        if self.limit < Decimal::ZERO && !signed {
            return Err(format!("{} is below zero; write 0 or more", self.limit));
        }
        let whole = matches!(facts.unit, Unit::Days | Unit::Sessions | Unit::Count);
        if whole && self.limit.raw() % Decimal::SCALE != 0 {
            return Err(format!("{} is not whole; write a whole number", self.limit));
        }
        if self.limit.raw().abs() > LARGEST.raw() {
            return Err(format!(
                "{} is too large; write at most {LARGEST}",
                self.limit
            ));
        }
        Ok(())
    }
}

/// The largest limit.
const LARGEST: Decimal = Decimal::whole(1_000_000_000);

/// What the trader wants to hear of, written as a measure and a level.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Rule {
    /// The number by which it is named; later rules have higher ones.
    pub id: u64,
    /// Whom it is for.
    pub scope: Scope,
    /// Where it rings.
    pub condition: Condition,
    /// It rings again once the figure has gone back by so much; absent: only once for a campaign.
    pub again: Option<Decimal>,
    /// It is in force.
    pub on: bool,
}

impl Rule {
    /// What is wrong with it, if anything is.
    ///
    /// # Errors
    /// What is wrong, and what would be right.
    pub fn check(&self) -> Result<(), String> {
        let subject = self.condition.measure.facts().subject;
        match (&self.scope, subject) {
            (Scope::All, _) | (_, Subject::Campaign) => {}
            (Scope::Campaign(_), Subject::Trade) => {
                return Err(
                    "a new trade is no campaign yet; choose all, a structure or a symbol".into(),
                );
            }
            (_, Subject::Trade) => {}
            (_, Subject::Account) => {
                return Err(
                    "a rule about the account is for all; leave the scope at \"all\"".into(),
                );
            }
        }
        let of_one_name = matches!(self.scope, Scope::Symbol(_) | Scope::Campaign(_));
        if self.condition.measure == Measure::Price && !of_one_name {
            return Err(
                "a price means something in one symbol; choose a symbol or a campaign".into(),
            );
        }
        if self.again.is_some_and(|by| by < Decimal::ZERO) {
            return Err("what it has to go back by is 0 or more".into());
        }
        self.condition.check()
    }

    /// The rule as a sentence; `title` names a campaign.
    pub fn sentence(&self, title: impl Fn(u64) -> Option<String>) -> String {
        let Condition {
            measure,
            side,
            limit,
        } = self.condition;
        let facts = measure.facts();
        let (what, predicate) = (self.scope.words(title), measure.predicate(side, limit));
        let again = match self.again {
            _ if facts.subject == Subject::Trade => String::new(),
            None => "; only once".into(),
            Some(by) if by == Decimal::ZERO => "; again after it was otherwise".into(),
            Some(by) => format!(
                "; again after it has gone back by {}",
                facts.unit.write(&by.to_string())
            ),
        };
        match (facts.subject, &self.scope) {
            (Subject::Trade, _) => format!("A new trade{what} is marked where it {predicate}."),
            (Subject::Account, _) => format!("Rings when the account {predicate}{again}."),
            (_, Scope::Campaign(_)) => format!("Rings when campaign{what} {predicate}{again}."),
            _ => format!("Rings when a campaign{what} {predicate}{again}."),
        }
    }
}

/// A rule that counts for something, and the wider ones that it takes the place of.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Ruling<'a> {
    /// The rule that is judged.
    pub rule: &'a Rule,
    /// Numbers of rules on the same measure that do not count here.
    pub instead_of: Vec<u64>,
}

/// The rules in force for a campaign or a trade: of those on one measure and side the narrowest.
pub fn ruling<'a>(
    rules: &'a [Rule],
    subject: Subject,
    (structure, symbol, campaign): (Structure, &str, Option<u64>),
) -> Vec<Ruling<'a>> {
    let mut by: BTreeMap<(Measure, Side), Vec<&Rule>> = BTreeMap::new();
    for rule in rules.iter().filter(|r| r.on) {
        let c = rule.condition;
        if c.measure.facts().subject == subject && rule.scope.covers(structure, symbol, campaign) {
            by.entry((c.measure, c.side)).or_default().push(rule);
        }
    }
    let mut out = Vec::new();
    for all in by.into_values() {
        let narrowest = all.iter().map(|r| r.scope.narrow()).max().unwrap_or(0);
        let (count, not): (Vec<&Rule>, Vec<&Rule>) =
            all.into_iter().partition(|r| r.scope.narrow() == narrowest);
        let instead_of: Vec<u64> = not.iter().map(|r| r.id).collect();
        out.extend(count.into_iter().map(|rule| Ruling {
            rule,
            instead_of: instead_of.clone(),
        }));
    }
    out.sort_by_key(|r| r.rule.id);
    out
}

/// A rule held against what was seen.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Judgement {
    /// The number of the rule that was judged.
    pub rule: u64,
    /// The campaign; absent for the account.
    pub campaign: Option<u64>,
    /// Where the rule rings.
    pub condition: Condition,
    /// What was seen.
    pub seen: Figure,
    /// Whether it rings now, and did not before.
    pub rings: bool,
    /// It has gone back far enough to ring again.
    pub back: bool,
}

/// Every rule in force against every campaign that it counts for, and against the account. What
/// cannot be seen is not judged.
pub fn judge(rules: &[Rule], book: &BookSeen) -> Vec<Judgement> {
    let judged = |rule: &Rule, campaign: Option<u64>, seen: Figure| Judgement {
        rule: rule.id,
        campaign,
        condition: rule.condition,
        seen,
        rings: rule.condition.rings(seen),
        back: rule
            .again
            .is_some_and(|by| rule.condition.is_back(seen, by)),
    };
    let mut out = Vec::new();
    // Most campaigns share what rules them with others of their structure and, where a rule names it, their
    // symbol.
    let mut shared: BTreeMap<(Structure, &str), Vec<Ruling<'_>>> = BTreeMap::new();
    for c in &book.campaigns {
        let symbol = |r: &Rule| matches!(&r.scope, Scope::Symbol(named) if *named == c.symbol);
        let symbol = if rules.iter().any(symbol) {
            c.symbol.as_str()
        } else {
            ""
        };
        let of_it = (c.structure, symbol);
        let named = rules.iter().any(|r| r.scope == Scope::Campaign(c.campaign));
        let own;
        let in_force = if named {
            own = ruling(
                rules,
                Subject::Campaign,
                (of_it.0, of_it.1, Some(c.campaign)),
            );
            &own
        } else {
            let of_all = || ruling(rules, Subject::Campaign, (of_it.0, of_it.1, None));
            &*shared.entry(of_it).or_insert_with(of_all)
        };
        for r in in_force {
            if let Some(seen) = c.figure(r.rule.condition.measure, book.at) {
                out.push(judged(r.rule, Some(c.campaign), seen));
            }
        }
    }
    if let Some(account) = &book.account {
        let whole = (Structure::Other, "", None);
        for r in ruling(rules, Subject::Account, whole) {
            if let Some(seen) = account.figure(r.rule.condition.measure) {
                out.push(judged(r.rule, None, seen));
            }
        }
    }
    out
}

/// Prices at which rules about the price ring, ascending: at a price itself, or so many deviations
/// before a sold strike or a break-even. `deviation` is that of the logarithm of the price.
pub fn ring_prices(
    in_force: &[Ruling<'_>],
    holding: &Holding,
    shape: &Shape,
    deviation: f64,
) -> Vec<f64> {
    let mut out = Vec::new();
    for Condition { measure, limit, .. } in in_force.iter().map(|r| r.rule.condition) {
        let limit = limit.to_f64();
        let before = (-limit * deviation).exp();
        match measure {
            Measure::Price => out.push(limit),
            Measure::ToSoldStrike if deviation > 0.0 => {
                for (c, _) in holding.options().filter(|(_, n)| *n < 0) {
                    let strike = c.strike.to_f64();
                    out.push(match c.kind {
                        Kind::Call => strike * before,
                        Kind::Put => strike / before,
                    });
                }
            }
            Measure::ToBreakEven if deviation > 0.0 => {
                let zones = zones_of(shape);
                for pair in zones.windows(2) {
                    // The profit lies above the edge, or below it.
                    let edge = pair[1].from;
                    out.push(if pair[1].gain {
                        edge / before
                    } else {
                        edge * before
                    });
                }
            }
            _ => {}
        }
    }
    out.sort_by(f64::total_cmp);
    out.dedup();
    out
}

/// The strictest of the trader's limits on what a new trade may lose, in money; absent without such
/// a rule.
pub fn most_at_risk(
    rules: &[Rule],
    of_it: (Structure, &str, Option<u64>),
    account: Money,
) -> Option<Money> {
    let in_force = ruling(rules, Subject::Trade, of_it);
    let limits = in_force.iter().filter_map(|r| {
        let limit = r.rule.condition.limit;
        match r.rule.condition.measure {
            // A limit is in 1e-8, money in 1e-4.
            Measure::TradeRiskMoney => Some(Money::from_raw(limit.raw() / 10_000)),
            Measure::TradeRisk => {
                let part = i128::from(account.raw()) * i128::from(limit.raw());
                let raw = part / (100 * i128::from(Decimal::SCALE));
                Some(Money::from_raw(raw as i64))
            }
            _ => None,
        }
    });
    limits.min()
}

/// A rule that has rung for a campaign or the account, until it may ring again.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Rung {
    /// When it rang.
    pub since: Moment,
    /// What was seen then, in words.
    pub seen: String,
    /// It still holds, as of the last look.
    pub holds: bool,
}

/// What follows from a judgement.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Follows {
    /// All stays as it is.
    Nothing,
    /// It rings, and stands from now on.
    Rings(Rung),
    /// It stands, but holds no longer, or holds again.
    Changed(Rung),
    /// It may ring again.
    Armed,
}

impl Rung {
    /// What follows from a judgement at a moment on what stood before.
    pub fn after(before: Option<&Rung>, j: &Judgement, at: Moment) -> Follows {
        match before {
            None if j.rings => Follows::Rings(Rung {
                since: at,
                seen: j.condition.told(j.seen),
                holds: true,
            }),
            None => Follows::Nothing,
            Some(_) if j.back => Follows::Armed,
            Some(s) if s.holds != j.rings => Follows::Changed(Rung {
                holds: j.rings,
                ..s.clone()
            }),
            Some(_) => Follows::Nothing,
        }
    }
}
