//! What the trader decides beside orders: the account's kind and level, money paid in, exercise,
//! drafts.

use std::sync::Arc;

use crate::engine::{DAY_TRADES, Engine, KIND, LEVEL};
use crate::money::{account_value, buying_power};
use crate::refusal::Refusal;
use crate::state::State;
use desk::{
    AccountKind, AccountRules, Contract, DayTradeSwitch, Fact, HIGHEST_LEVEL, Instrument, Money,
    PORTFOLIO_LEAST,
};

impl Engine {
    /// Sets kind and level of the account, and the day-trade switch.
    ///
    /// # Errors
    /// There is no such level, what is held or the value of the account does not allow them, or the
    /// books can only be read.
    pub fn set_account_rules(
        &mut self,
        rules: AccountRules,
        day_trades: DayTradeSwitch,
    ) -> Result<(), Refusal> {
        let next = State {
            rules,
            day_trades,
            ..self.state.clone()
        };
        let wrong = |field, message: String| Err(Refusal::Field { field, message });
        if rules.level > HIGHEST_LEVEL {
            return wrong(
                "level",
                format!("{} is no level; write 0 to {HIGHEST_LEVEL}", rules.level),
            );
        }
        if rules.kind != self.state.rules.kind {
            let value = account_value(&self.state, &mut self.quoter);
            if rules.kind == AccountKind::Portfolio && value < PORTFOLIO_LEAST {
                let message = format!(
                    "portfolio rules need an account of {}; this one is worth {}",
                    PORTFOLIO_LEAST.grouped(),
                    value.grouped()
                );
                return wrong("kind", message);
            }
            if rules.kind == AccountKind::Cash
                && let Some(beyond) = crate::money::beyond(&next, &mut self.quoter)
            {
                return wrong(
                    "kind",
                    format!("a cash account cannot hold {beyond}; close that first"),
                );
            }
            let free = buying_power(&next, &mut self.quoter);
            if free < Money::ZERO && free < buying_power(&self.state, &mut self.quoter) {
                return wrong(
                    "kind",
                    format!(
                        "as a {} account it would be {} short; close or pay in first",
                        rules.kind.word(),
                        (-free).grouped()
                    ),
                );
            }
        }
        let switch = if day_trades == DayTradeSwitch::Off {
            "off"
        } else {
            "by date"
        };
        let facts = [
            (KIND, rules.kind.word().to_owned()),
            (LEVEL, rules.level.to_string()),
            (DAY_TRADES, switch.to_owned()),
        ];
        let facts = facts.map(|(name, value)| Fact::Setting(name.into(), value));
        self.commit(next, facts.to_vec())
    }

    /// Books money paid in.
    ///
    /// # Errors
    /// The books can only be read.
    pub fn deposit(&mut self, amount: Money) -> Result<(), Refusal> {
        let mut next = self.state.clone();
        let entry = Arc::make_mut(&mut next.account)
            .deposit(next.clock.now, amount)
            .clone();
        self.commit(next, vec![Fact::Booked(entry, None)])
    }

    /// Says that a series is not to be exercised at its end, or that it is after all.
    ///
    /// # Errors
    /// The series is not held long, or the books can only be read.
    pub fn decline(&mut self, contract: Contract, declined: bool) -> Result<(), Refusal> {
        let mut next = self.state.clone();
        let held = next.account.held(&Instrument::Option(contract.clone()));
        if held <= 0 {
            let message =
                format!("{contract} is not held long; only a holder decides whether to exercise");
            return Err(Refusal::Field {
                field: "contract",
                message,
            });
        }
        let set = Arc::make_mut(&mut next.declined);
        let changed = if declined {
            set.insert(contract.clone())
        } else {
            set.remove(&contract)
        };
        if !changed {
            return Ok(());
        }
        let fact = Fact::Declined(contract, declined, next.clock.now);
        self.commit(next, vec![fact])
    }

    /// Keeps a draft, or throws it away.
    ///
    /// # Errors
    /// The books can only be read, or there are too many.
    pub fn keep_draft(&mut self, slot: String, body: Option<String>) -> Result<(), Refusal> {
        let there = &self.state.drafts;
        if body.is_some() && !there.contains_key(&slot) && there.len() >= MOST_DRAFTS {
            return Err(Refusal::TooMany {
                what: "drafts are kept",
                most: MOST_DRAFTS,
                remedy: "throw one away first",
            });
        }
        let mut next = self.state.clone();
        let drafts = Arc::make_mut(&mut next.drafts);
        let fact = match body {
            Some(body) => {
                drafts.insert(slot.clone(), body.clone());
                Fact::Draft(slot, body, next.clock.now)
            }
            None => {
                drafts.remove(&slot);
                Fact::DraftGone(slot)
            }
        };
        self.commit(next, vec![fact])
    }
}

/// Most drafts, those of the slots among them.
const MOST_DRAFTS: usize = 1_000;
