//! My rules and bells on figures: set, held against the book at every look, rung.
//!
//! The book is looked at at the opening, every ten minutes and at the close of each session, and
//! whenever something is booked; the account's own figures at the opening, at 10, 12 and 14 o'clock,
//! at the close and whenever something is booked. What is found is the same however time is stepped.

use std::collections::BTreeMap;
use std::sync::Arc;

use desk::calendar::is_open;
use desk::rules::{
    AccountNeeds, BookSeen, Figure, Follows, Measure, Needs, Rule, Rung, Subject, judge,
};
use desk::{Bell, Fact, Listens, Moment, Watched};
use market::Quoter;

use crate::campaigns::all_open;
use crate::engine::{A_MINUTE, Engine};
use crate::refusal::Refusal;
use crate::sight::{Sights, book_seen, vol30};
use crate::state::State;

/// Looks between the stops are this far apart.
pub(crate) const A_LOOK: i64 = 10 * A_MINUTE;

/// The most rules that an account may have.
pub const MOST_RULES: usize = 200;

/// Rules that have rung for a campaign or the account, until they may ring again.
pub type Stands = BTreeMap<(u64, Option<u64>), Rung>;

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

/// The next look behind a moment that is no stop.
pub(crate) fn look_after(at: Moment) -> Moment {
    Moment::from_millis((at.millis().div_euclid(A_LOOK) + 1) * A_LOOK)
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

impl Engine {
    /// Whether something is looked for between the stops.
    pub(crate) fn looks_often(state: &State) -> bool {
        wanted(state).is_some_and(|w| w.campaigns)
    }

    /// Looks at the book at the clock's moment: rules ring or may ring again, bells on figures
    /// ring. The account's own figures are looked at where `account` says so.
    pub(crate) fn look(&mut self, next: &mut State, account: bool, facts: &mut Vec<Fact>) {
        let at = next.clock.now;
        self.forget_closed(next, facts);
        let Some(wanted) = wanted(next) else { return };
        let account = wanted.account.filter(|_| account);
        // A bell on a volatility listens without any position.
        let holds = !next.account.lots().is_empty() || listens_to_a_symbol(next);
        if !(wanted.campaigns && holds) && account.is_none() {
            return;
        }
        let book = book_seen(
            next,
            &mut self.quoter,
            &mut self.sights,
            wanted.needs,
            account,
        );
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
        self.ring_on_figures(next, &book, facts);
    }

    /// Campaigns that hold nothing any more have nothing to be found.
    fn forget_closed(&mut self, next: &mut State, facts: &mut Vec<Fact>) {
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
    fn ring_on_figures(&mut self, next: &mut State, book: &BookSeen, facts: &mut Vec<Fact>) {
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

    /// Adds a rule, or replaces one by its number, and holds it against the book at once.
    ///
    /// # Errors
    /// It cannot be a rule, there is none of that number, there are too many, or the books can only
    /// be read.
    pub fn set_rule(&mut self, id: Option<u64>, rule: Rule) -> Result<Rule, Refusal> {
        check(&self.state, &rule)?;
        let mut next = self.state.clone();
        let mut facts = Vec::new();
        let kept = Arc::make_mut(&mut next.my_rules);
        let id = match id {
            Some(id) => id,
            None if kept.len() >= MOST_RULES => return Err(too_many()),
            None => kept.last().map_or(1, |r| r.id + 1),
        };
        let rule = Rule { id, ..rule };
        match kept.binary_search_by_key(&id, |r| r.id) {
            Ok(place) => kept[place] = rule.clone(),
            Err(_) if kept.last().is_none_or(|r| r.id < id) => kept.push(rule.clone()),
            Err(_) => return Err(Refusal::NoRule(id)),
        }
        facts.push(Fact::Rule(rule.clone()));
        silence(&mut next, id, &mut facts);
        self.look(&mut next, true, &mut facts);
        self.commit(next, facts)?;
        Ok(rule)
    }

    /// Throws a rule away; what it rang is answered.
    ///
    /// # Errors
    /// There is no such rule, or the books can only be read.
    pub fn remove_rule(&mut self, id: u64) -> Result<(), Refusal> {
        let mut next = self.state.clone();
        let mut facts = Vec::new();
        let kept = Arc::make_mut(&mut next.my_rules);
        let place = kept.binary_search_by_key(&id, |r| r.id);
        kept.remove(place.map_err(|_| Refusal::NoRule(id))?);
        facts.push(Fact::RuleGone(id));
        silence(&mut next, id, &mut facts);
        self.look(&mut next, true, &mut facts);
        self.commit(next, facts)
    }

    /// Puts other rules in the place of all.
    ///
    /// # Errors
    /// One of them cannot be a rule (its place is told), there are too many, or the books can only
    /// be read.
    pub fn replace_rules(&mut self, rules: Vec<Rule>) -> Result<(), Refusal> {
        if rules.len() > MOST_RULES {
            return Err(too_many());
        }
        for (place, rule) in rules.iter().enumerate() {
            check(&self.state, rule).map_err(|e| Refusal::Field {
                field: "rules",
                message: format!("rule {}: {e}", place + 1),
            })?;
        }
        let mut next = self.state.clone();
        let mut facts = Vec::new();
        let old: Vec<u64> = next.my_rules.iter().map(|r| r.id).collect();
        for id in old {
            facts.push(Fact::RuleGone(id));
            silence(&mut next, id, &mut facts);
        }
        let numbered = rules.into_iter().zip(1..);
        let rules: Vec<Rule> = numbered.map(|(rule, id)| Rule { id, ..rule }).collect();
        facts.extend(rules.iter().cloned().map(Fact::Rule));
        next.my_rules = Arc::new(rules);
        self.look(&mut next, true, &mut facts);
        self.commit(next, facts)
    }
}

fn too_many() -> Refusal {
    Refusal::TooMany {
        what: "rules are kept",
        most: MOST_RULES,
        remedy: "throw one away first",
    }
}

/// What is wrong with a rule, and with what it names.
fn check(state: &State, rule: &Rule) -> Result<(), Refusal> {
    use desk::rules::Scope;
    rule.check().map_err(|message| Refusal::Field {
        field: "rule",
        message,
    })?;
    match &rule.scope {
        Scope::Symbol(symbol) => crate::state::underlying_of(state, symbol).map(drop),
        Scope::Campaign(id) => {
            let found = state.account.campaign(*id);
            found.map(drop).ok_or(Refusal::NoCampaign(*id))
        }
        Scope::All | Scope::Structure(_) => Ok(()),
    }
}

fn set_standing(
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

/// What a rule found is gone with it, and the bells it rang are answered.
fn silence(next: &mut State, rule: u64, facts: &mut Vec<Fact>) {
    let keys: Vec<_> = next
        .standing
        .keys()
        .filter(|k| k.0 == rule)
        .copied()
        .collect();
    for key in keys {
        set_standing(next, key, None, facts);
    }
    for i in 0..next.bells.len() {
        let bell = &next.bells[i];
        if bell.rule == Some(rule) && bell.unanswered() {
            let answered = Bell {
                answered: true,
                ..Bell::clone(bell)
            };
            facts.push(Fact::Bell(answered.clone()));
            Arc::make_mut(&mut next.bells)[i] = Arc::new(answered);
        }
    }
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

/// Whether a moment is one of the looks between the stops.
pub(crate) fn is_look(at: Moment) -> bool {
    at.millis() % A_LOOK == 0 && is_open(at)
}
