//! The trader's own rules: set, replaced and thrown away.

use std::sync::Arc;

use desk::rules::Rule;
use desk::{Bell, Fact};

use crate::engine::Engine;
use crate::judging::set_standing;
use crate::refusal::Refusal;
use crate::state::State;

/// The most rules that an account may have.
pub const MOST_RULES: usize = 200;

impl Engine {
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
