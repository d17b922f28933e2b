//! My rules and bells on figures, held against the book at every look, and rung.
//!
//! The book is looked at at the opening, every ten minutes and at the close of each session, and
//! whenever something is booked; the account's own figures at the opening, at 10, 12 and 14 o'clock,
//! at the close and whenever something is booked. What is found is the same however time is stepped.

use std::sync::Arc;

use desk::rules::{
    AccountNeeds, BookSeen, Figure, Follows, Measure, Needs, Rule, Rung, Subject, judge,
};
use desk::{Bell, Fact, Listens, Watched};
use market::Quoter;

use crate::campaigns::all_open;
use crate::seen::book_seen;
use crate::sight::{Sights, vol30};
use crate::state::State;

/// What the rules and bells in force look at; nothing where there is nothing to look for.
struct LookedFor {
    needs: Needs,
    campaigns: bool,
    account: Option<AccountNeeds>,
}

fn wanted(state: &State) -> Option<LookedFor> {
    let rules = state.my_rules.iter().filter(|r| r.on);
    let bells = state.bells.iter().filter(|b| b.is_set());
    let on_figures = bells.filter_map(|b| match &b.listens {
        Listens::Figure { condition, .. } => Some(condition.measure),
        _ => None,
    });
    let mut wanted = LookedFor {
        needs: Needs::default(),
        campaigns: false,
        account: None,
    };
    for measure in rules.map(|r| r.condition.measure).chain(on_figures) {
        match measure.facts().subject {
            Subject::Campaign => {
                wanted.campaigns = true;
                wanted.needs = wanted.needs.and(measure.needs());
            }
            Subject::Account => {
                let so_far = wanted.account.unwrap_or_default();
                wanted.account = Some(so_far.and(measure.account_needs()));
            }
            Subject::Trade => {}
        }
    }
    (wanted.campaigns || wanted.account.is_some()).then_some(wanted)
}

fn listens_to_a_symbol(state: &State) -> bool {
    let on_symbol = |b: &Bell| {
        matches!(
            &b.listens,
            Listens::Figure {
                of: Watched::Symbol(_),
                ..
            }
        )
    };
    state.bells.iter().any(|b| b.is_set() && on_symbol(b))
}

/// Whether what a rule says of a campaign, or of the account, waits for fresh quotes.
fn waits(state: &State, campaign: Option<u64>) -> bool {
    match campaign {
        Some(id) => {
            let campaign = state.account.campaign(id);
            campaign.is_some_and(|c| state.waits(&c.symbol).is_some())
        }
        None => all_open(state)
            .iter()
            .any(|c| state.waits(&c.symbol).is_some()),
    }
}

/// How many of my rules wait for fresh quotes of something held.
pub fn waiting(state: &State) -> usize {
    if !waits(state, None) {
        return 0;
    }
    let rules = state.my_rules.iter();
    let judged = |r: &&Rule| r.on && r.condition.measure.facts().subject != Subject::Trade;
    rules.filter(judged).count()
}

/// Whether something is looked for between the stops.
pub(crate) fn looks_often(state: &State) -> bool {
    wanted(state).is_some_and(|w| w.campaigns)
}

/// Looks at the book at the clock's moment: rules ring or may ring again, bells on figures
/// ring. The account's own figures are looked at where `account` says so.
pub(crate) fn look(
    next: &mut State,
    (quoter, sights): (&mut Quoter, &mut Sights),
    account: bool,
    facts: &mut Vec<Fact>,
) {
    let at = next.clock.now;
    forget_closed(next, facts);
    let Some(wanted) = wanted(next) else { return };
    let account = wanted.account.filter(|_| account);
    // A bell on a volatility listens without any position.
    let holds = !next.account.lots().is_empty() || listens_to_a_symbol(next);
    if !(wanted.campaigns && holds) && account.is_none() {
        return;
    }
    let book = book_seen(next, quoter, sights, wanted.needs, account);
    let judged = judge(&next.my_rules, &book);
    for j in &judged {
        let key = (j.rule, j.campaign);
        let follows = Rung::after(next.standing.get(&key), j, at);
        // What is judged by stale quotes waits for fresh ones.
        if matches!(follows, Follows::Nothing) || waits(next, j.campaign) {
            continue;
        }
        let stands = match follows {
            Follows::Nothing => continue,
            Follows::Rings(s) => {
                let says = told(next, j.campaign, &s.seen);
                let (rule, campaign) = key;
                crate::bells::tell_of_rule(&mut next.bells, (rule, campaign), at, says, facts);
                Some(s)
            }
            Follows::Changed(s) => Some(s),
            Follows::Armed => None,
        };
        set_standing(next, key, stands, facts);
    }
    ring_on_figures(next, &book, facts);
}

/// Campaigns that hold nothing any more have nothing to be found.
fn forget_closed(next: &mut State, facts: &mut Vec<Fact>) {
    let gone = |key: &&(u64, Option<u64>)| {
        key.1
            .is_some_and(|id| next.account.lots_of(id).next().is_none())
    };
    let keys: Vec<_> = next.standing.keys().filter(gone).copied().collect();
    for key in keys {
        set_standing(next, key, None, facts);
    }
}

/// Bells on a figure of a campaign, a volatility or the account.
fn ring_on_figures(next: &mut State, book: &BookSeen, facts: &mut Vec<Fact>) {
    for i in 0..next.bells.len() {
        let bell = Arc::clone(&next.bells[i]);
        let Listens::Figure { of, condition } = &bell.listens else {
            continue;
        };
        let stale = match of {
            Watched::Campaign(id) => waits(next, Some(*id)),
            Watched::Symbol(symbol) => next.waits(symbol).is_some(),
            Watched::Account => waits(next, None),
        };
        if !bell.is_set() || stale {
            continue;
        }
        let Some(figure) = figure_of(next, book, of, condition.measure) else {
            continue;
        };
        let changed = if bell.spent {
            // Without a distance it listens again once it does not ring.
            let by = bell.again.unwrap_or_default();
            condition.is_back(figure, by).then(|| Bell {
                spent: false,
                ..Bell::clone(&bell)
            })
        } else if condition.rings(figure) {
            let id = match of {
                Watched::Campaign(id) => Some(*id),
                Watched::Symbol(_) | Watched::Account => None,
            };
            let says = match of {
                Watched::Symbol(symbol) => format!("{symbol} {}", condition.told(figure)),
                _ => told(next, id, &condition.told(figure)),
            };
            Some(bell.after_ringing(next.clock.now, says))
        } else {
            None
        };
        if let Some(changed) = changed {
            facts.push(Fact::Bell(changed.clone()));
            Arc::make_mut(&mut next.bells)[i] = Arc::new(changed);
        }
    }
}

pub(crate) fn set_standing(
    next: &mut State,
    key: (u64, Option<u64>),
    stands: Option<Rung>,
    facts: &mut Vec<Fact>,
) {
    let all = Arc::make_mut(&mut next.standing);
    match &stands {
        Some(s) => drop(all.insert(key, s.clone())),
        None => drop(all.remove(&key)),
    }
    facts.push(Fact::Stands(key.0, key.1, stands));
}

/// "VXLO iron condor 950/940 · 800/790: days left: 17 d, set at 21 d".
fn told(state: &State, campaign: Option<u64>, says: &str) -> String {
    let title = campaign.and_then(|id| {
        let c = state.account.campaign(id)?;
        let u = state.world.underlying(&c.symbol)?;
        Some(format!("{} {}", c.symbol, state.account.title(c.id, u)?))
    });
    title.map_or_else(|| format!("account: {says}"), |t| format!("{t}: {says}"))
}

/// The figure that a bell watches, in a book that was looked at.
pub(crate) fn figure_of(
    state: &State,
    book: &BookSeen,
    of: &Watched,
    measure: Measure,
) -> Option<Figure> {
    match of {
        Watched::Campaign(id) => book.figure(measure, Some(state.account.home(*id))),
        Watched::Account => book.figure(measure, None),
        Watched::Symbol(symbol) => {
            let (world, at) = (&state.world, state.clock.now);
            match measure {
                Measure::Vol => Figure::model(100.0 * vol30(world, symbol, at)?),
                Measure::Rank => Figure::model(crate::sight::vol_standing(world, symbol, at)?.rank),
                _ => None,
            }
        }
    }
}

/// The figure that a bell would watch, now.
pub(crate) fn figure_now(
    state: &State,
    quoter: &mut Quoter,
    of: &Watched,
    measure: Measure,
) -> Option<Figure> {
    let account = matches!(of, Watched::Account).then(|| measure.account_needs());
    let book = book_seen(
        state,
        quoter,
        &mut Sights::default(),
        measure.needs(),
        account,
    );
    figure_of(state, &book, of, measure)
}
