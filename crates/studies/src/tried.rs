//! What a rule would have done: held against the campaigns of this account that are closed, at the
//! close of each session of their lives, in the market that was.

use desk::calendar::{close_of, is_session};
use desk::rules::{Rule, Subject, ruling};
use desk::{Campaign, Moment, Money};
use market::Quoter;

use engine::Refusal;
use engine::sight::{Sights, at_moment, campaign_seen};
use engine::state::State;

/// One campaign that it would have rung for.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct TriedCase {
    /// The number of the closed campaign.
    pub campaign: u64,
    /// The first close at which it would have rung.
    pub at: Moment,
    /// Profit of the campaign then; absent where a leg had no market.
    pub then: Option<Money>,
    /// Profit that was taken in the end.
    pub end: Money,
}

/// What it would have done.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Tried {
    /// Closed campaigns that it would have counted for at some close.
    pub of: usize,
    /// Those that it would have rung for, by number.
    pub cases: Vec<TriedCase>,
}

/// Most closes of one campaign.
const MOST: usize = 400;

/// Holds a rule against the closed campaigns.
///
/// # Errors
/// It is not about campaigns.
pub fn tried(state: &State, quoter: &mut Quoter, rule: &Rule) -> Result<Tried, Refusal> {
    if rule.condition.measure.facts().subject != Subject::Campaign {
        return Err(Refusal::Field {
            field: "rule",
            message: "only a rule about campaigns can be tried on closed ones".into(),
        });
    }
    let rule = Rule {
        on: true,
        ..rule.clone()
    };
    let mut sights = Sights::default();
    let mut out = Tried {
        of: 0,
        cases: Vec::new(),
    };
    let closed =
        |c: &&Campaign| !c.chapters.is_empty() && state.account.lots_of(c.id).next().is_none();
    for campaign in state.account.campaigns().filter(closed) {
        let mut counts = false;
        for at in closes(campaign) {
            let then = at_moment(state, at);
            let needs = rule.condition.measure.needs();
            let Some(seen) = campaign_seen(&then, quoter, &mut sights, campaign, needs) else {
                continue;
            };
            let of_it = (seen.structure, seen.symbol.as_str(), Some(campaign.id));
            if ruling(std::slice::from_ref(&rule), Subject::Campaign, of_it).is_empty() {
                continue;
            }
            counts = true;
            let figure = seen.figure(rule.condition.measure, at);
            if figure.is_some_and(|f| rule.condition.rings(f)) {
                let marked = desk::rules::Needs {
                    marks: true,
                    ..needs
                };
                let seen = campaign_seen(&then, quoter, &mut sights, campaign, marked);
                out.cases.push(TriedCase {
                    campaign: campaign.id,
                    at,
                    then: seen.and_then(|s| s.profit),
                    end: campaign.totals.booked(),
                });
                break;
            }
        }
        out.of += usize::from(counts);
    }
    Ok(out)
}

/// The closes that a campaign lived through.
pub(crate) fn closes(campaign: &Campaign) -> impl Iterator<Item = Moment> {
    let ends = (campaign.chapters.first(), campaign.chapters.last());
    let (first, last) = match ends {
        (Some(first), Some(last)) => (first.at, last.at),
        _ => (Moment::from_millis(0), Moment::from_millis(0)),
    };
    let days = std::iter::successors(Some(first.date()), |d| d.tomorrow().ok());
    days.filter(|d| is_session(*d))
        .map(close_of)
        .skip_while(move |at| *at < first)
        .take_while(move |at| *at < last)
        .take(MOST)
}
