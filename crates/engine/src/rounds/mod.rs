//! Rounds: which campaigns ask for a decision, since when, and how near the others are to asking.
//!
//! Facts are worked out from the book of now. Since when one holds is found by looking back, close by
//! opening, through the market that was, until it did not hold or until what is held came about: so
//! it is the same after a restart and whatever steps time took.

mod answers;
mod dates;
mod reasons;

use desk::calendar::{close_of, last_trading, previous_session};
use desk::rounds::Reason;
use desk::rules::{CampaignSeen, Needs, Subject, ruling, sessions_to};
use desk::{Campaign, Decision, Moment, Underlying, short_date};
use market::Quoter;

pub use answers::Given;
pub use dates::{DATES_AHEAD, Dated, DatedKind, next_that_matters};

use crate::campaigns::all_open;
use crate::sight::{Sights, Stood, at_moment, campaign_seen, shape};
use crate::state::State;
use answers::{answer_to, is_answered};
use dates::dates;
use reasons::{account_reasons, campaign_reasons, closed_lately};

/// A reason, and since when it holds.
#[derive(Debug, Clone, PartialEq)]
pub struct Since {
    /// The reason for which a campaign asks.
    pub reason: Reason,
    /// Since when: the first look at which it held. Farther back than was looked it may have held
    /// longer.
    pub since: Moment,
    /// The last look at which it did not hold: an answer given later is one to this reason.
    pub not_before: Moment,
}

impl Since {
    /// A reason whose beginning is known exactly.
    fn exactly(reason: Reason, since: Moment) -> Since {
        Since {
            reason,
            since,
            not_before: since,
        }
    }
}

/// A campaign, or the account, that asks.
#[derive(Debug, Clone, PartialEq)]
pub struct Asks {
    /// The campaign; absent for the account.
    pub campaign: Option<u64>,
    /// Why, the most urgent first.
    pub reasons: Vec<Since>,
}

/// A campaign that does not ask.
#[derive(Debug, Clone, PartialEq)]
pub struct Quiet {
    /// The number of the campaign that asks for nothing.
    pub campaign: u64,
    /// How near it is to its next reason, 1 where it is there.
    pub nearness: f64,
    /// That reason, in words; empty where nothing is ahead.
    pub next: String,
    /// An answer that keeps it quiet.
    pub let_be: Option<Decision>,
}

/// The whole of it.
#[derive(Debug, Clone, PartialEq)]
pub struct Rounds {
    /// Who asks, the most urgent first.
    pub asks: Vec<Asks>,
    /// The others, the nearest to asking first.
    pub quiet: Vec<Quiet>,
    /// Campaigns among the others that changed since the close before: what changed.
    pub changed: Vec<(u64, String)>,
    /// Dates ahead, ascending.
    pub dates: Vec<Dated>,
    /// What was decided today, oldest first.
    pub decided: Vec<Decision>,
    /// Since when things that happened are told.
    pub looked: Moment,
}

/// The close before the session of now.
fn close_before(state: &State) -> Moment {
    close_of(previous_session(last_trading(state.clock.now).date()))
}

/// Everything that asks, and what is near to.
pub fn rounds_of(state: &State, quoter: &mut Quoter) -> Rounds {
    let now = state.clock.now;
    let looked = state.looked.unwrap_or_else(|| close_before(state));
    let mut sights = Sights::default();
    let mut asks: Vec<Asks> = Vec::new();
    let mut quiet = Vec::new();
    let mut changed = Vec::new();
    let mut of_account = account_reasons(state, quoter);
    of_account.retain(|r| !is_answered(state, None, r));
    asks.push(Asks {
        campaign: None,
        reasons: of_account,
    });
    for campaign in all_open(state) {
        let Some(u) = state.world.underlying(&campaign.symbol) else {
            continue;
        };
        let seen = campaign_seen(state, quoter, &mut sights, campaign, Needs::ALL);
        let mut reasons = campaign_reasons(state, quoter, campaign, u, seen.as_ref(), looked);
        let let_be = reasons
            .iter()
            .find_map(|r| answer_to(state, Some(campaign.id), r).cloned());
        reasons.retain(|r| !is_answered(state, Some(campaign.id), r));
        if reasons.is_empty() {
            let (nearness, next) = seen
                .as_ref()
                .map_or((0.0, String::new()), |s| nearest(state, s));
            changed.extend(changes(state, quoter, campaign, u).map(|what| (campaign.id, what)));
            quiet.push(Quiet {
                campaign: campaign.id,
                nearness,
                next,
                let_be,
            });
        } else {
            asks.push(Asks {
                campaign: Some(campaign.id),
                reasons,
            });
        }
    }
    asks.extend(closed_lately(state, looked));
    for a in &mut asks {
        a.reasons
            .sort_by_key(|r| (r.reason.urgency(), r.since, r.reason.key()));
    }
    asks.retain(|a| !a.reasons.is_empty());
    asks.sort_by_key(|a| {
        let first = a.reasons.first();
        first.map(|r| (r.reason.urgency(), r.since))
    });
    quiet.sort_by(|a, b| b.nearness.total_cmp(&a.nearness));
    let today = now.date();
    Rounds {
        asks,
        quiet,
        changed,
        dates: dates(state, DATES_AHEAD),
        decided: state
            .decisions
            .iter()
            .filter(|d| d.at.date() == today)
            .cloned()
            .collect(),
        looked,
    }
}

/// The next reason of a campaign that does not ask, and how near it is.
fn nearest(state: &State, seen: &CampaignSeen) -> (f64, String) {
    let at = state.clock.now;
    let of_it = (seen.structure, seen.symbol.as_str(), Some(seen.campaign));
    let mut best = (0.0, String::new());
    let mut better = |nearness: f64, says: String| {
        if nearness > best.0 {
            best = (nearness, says);
        }
    };
    for r in ruling(&state.my_rules, Subject::Campaign, of_it) {
        let condition = r.rule.condition;
        let facts = condition.measure.facts();
        let Some(figure) = seen.figure(condition.measure, at) else {
            continue;
        };
        if !condition.rings(figure) {
            let limit = facts.unit.write(&condition.limit.to_string());
            let seen = figure.words(facts.unit);
            better(
                0.99 * condition.nearness(figure),
                format!("{}: {seen}; your rule rings at {limit}", facts.noun),
            );
        }
    }
    if let Some(end) = seen.expiry {
        let left = sessions_to(at.date(), end);
        better(
            2.0 / (2.0 + left as f64),
            format!("ends on {}, in {left} sessions", short_date(end)),
        );
    }
    let events = [
        (seen.earnings, "earnings or a decision"),
        (seen.ex_date, "an ex-date"),
    ];
    for (next, what) in events {
        let inside = next.filter(|n| seen.expiry.is_some_and(|end| n.date <= end));
        if let Some(next) = inside.filter(|_| !seen.sold.is_empty()) {
            better(
                2.0 / (2.0 + next.sessions as f64),
                format!(
                    "{what} on {}, in {} sessions",
                    short_date(next.date),
                    next.sessions
                ),
            );
        }
    }
    best
}

/// What changed in a campaign since the close before: what was done, or on which side of its
/// break-evens the price stands.
fn changes(
    state: &State,
    quoter: &mut Quoter,
    campaign: &Campaign,
    u: &Underlying,
) -> Option<String> {
    let close = close_before(state);
    if campaign.chapters.iter().any(|c| c.at > close) {
        return Some("something was done in it".into());
    }
    let gains = |state: &State, quoter: &mut Quoter| {
        let at = state.clock.now;
        let spot = state.world.spot(&u.symbol, at)?.to_f64();
        let of = Stood::at(campaign, at, u)?;
        let shape = shape(state, quoter, &of, u)?;
        let zones = desk::zones_of(&shape);
        let here = zones.iter().find(|z| z.from <= spot && spot < z.to)?;
        Some(here.gain)
    };
    let before = gains(&at_moment(state, close), quoter)?;
    let now = gains(state, quoter)?;
    match (before, now) {
        (true, false) => Some("the price left the range in which it ends in profit".into()),
        (false, true) => Some("the price came into the range in which it ends in profit".into()),
        _ => None,
    }
}
