//! What was worked out last of a state: every answer is a function of what stands in its key.

use std::collections::{BTreeMap, HashMap};
use std::sync::{Arc, Mutex, PoisonError};

use desk::{AccountRules, Contract, MarginHolding, Money, Requirement};

/// What was worked out last. Only a memory: every answer is a function of what stands in its key.
#[derive(Default)]
pub struct Memo(Mutex<Remembered>);

#[derive(Default)]
pub(crate) struct Remembered {
    /// What each underlying's positions require, with what it was worked out from.
    pub margins: HashMap<String, (MemoKey, Requirement)>,
    /// The mark of each lot.
    pub marks: Option<(Key, Arc<[Option<desk::Price>]>)>,
    pub holdings: HashMap<String, (Key, MarginHolding)>,
    pub value: Option<(Key, Money)>,
    /// Of an account by its stamp.
    pub signatures: Option<(u64, Arc<BTreeMap<String, u64>>)>,
    /// Options held, in order, of an account by its stamp.
    pub held: Option<(u64, Arc<[Contract]>)>,
}

/// A moment and an account, by its stamp.
pub(crate) type Key = (desk::Moment, u64);

/// The moment, what is held, and the account's rules.
pub(crate) type MemoKey = (desk::Moment, u64, AccountRules);

impl Memo {
    pub(crate) fn read<T>(&self, f: impl FnOnce(&mut Remembered) -> T) -> T {
        f(&mut self.0.lock().unwrap_or_else(PoisonError::into_inner))
    }
}
