//! Everything about the account and its market that readers see.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use desk::calendar::{is_open, next_close, next_open, previous_session};
use desk::rules::{Rule, Rung};
use desk::{
    Account, AccountRules, Bell, Contract, Day, DayTradeRule, DayTradeSwitch, DayTrading, Decision,
    Instrument, Moment, Money, Order, OwnDate, Price, Said, SaidOf, Underlying,
};
use imbl::Vector;
use market::exchange::{Displayed, ExecutionReport, Hindrance, Reliance};
use market::{Clock, World};

use crate::memo::Memo;
use crate::refusal::Refusal;

/// A draft as kept: the text is the client's own, checked when it is saved.
pub type Drafts = BTreeMap<String, String>;

/// Rules that have rung for a campaign or the account, until they may ring again.
pub type Stands = BTreeMap<(u64, Option<u64>), Rung>;

/// Where an open order is found: the list only grows, so its place stays.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct OpenOrder {
    pub id: u64,
    pub place: usize,
}

/// The state of a run. A clone shares what it can, whatever the length of the history.
#[derive(Clone)]
pub struct State {
    /// The market that the account lives in.
    pub world: Arc<World>,
    /// The clock that tells the moment.
    pub clock: Clock,
    /// Orders, ascending by number; numbers may be missing between them.
    pub orders: Vector<Arc<Order>>,
    /// The open ones among them, ascending by number.
    pub(crate) open: Arc<Vec<OpenOrder>>,
    /// Books and lots of the account.
    pub account: Arc<Account>,
    /// Series that are not to be exercised at their end.
    pub declined: Arc<BTreeSet<Contract>>,
    /// Drafts by slot.
    pub drafts: Arc<Drafts>,
    /// The trader's own rules, by number.
    pub my_rules: Arc<Vec<Rule>>,
    /// Those that have rung, until they may ring again.
    pub standing: Arc<Stands>,
    /// What was decided in rounds, by number.
    pub decisions: Arc<Vec<Decision>>,
    /// The trader's own dates, by number.
    pub own_dates: Arc<Vec<OwnDate>>,
    /// What was noted of days, by ISO date.
    pub day_notes: Arc<BTreeMap<String, String>>,
    /// What was noted of journal entries, by number.
    pub entry_notes: Arc<BTreeMap<usize, String>>,
    /// What the trader said of orders and of closed campaigns.
    pub said: Arc<BTreeMap<SaidOf, Said>>,
    /// When rounds were last gone through.
    pub looked: Option<Moment>,
    /// The rows of closes, ascending.
    pub days: Arc<Vec<Day>>,
    /// Kind and level of the account.
    pub rules: AccountRules,
    /// Whether day trades are counted.
    pub day_trades: DayTradeSwitch,
    /// Bells by number.
    pub bells: Arc<Vec<Arc<Bell>>>,
    /// What has been traded of the sizes displayed.
    pub displayed: Arc<Displayed>,
    /// Buying power set aside for working orders.
    pub reserved: Money,
    /// Marks and margin worked out last, and the same at the beginning of the ten minutes.
    pub memo: Arc<Memo>,
    /// For what is set aside.
    pub slot_memo: Arc<Memo>,
    /// Counts changes of orders and account, so that readers know when to look again.
    pub version: u64,
    /// Where a jump of the clock leads that is under way.
    pub heading: Option<Moment>,
    /// Why time stands although the clock runs, told by whoever drives the engine: what happens
    /// cannot be kept.
    pub stands: Option<Arc<str>>,
    /// Quotes of a market from files are stale after so many milliseconds of the exchange's time.
    pub stale_after: i64,
    /// The clock follows what comes to a market from files: it stands at the newest moment.
    pub follows: bool,
    /// Nothing has come for longer than quotes stay fresh, by the clock on the wall; told by whoever
    /// drives the engine.
    pub silent: bool,
    /// Why nothing can be changed, where the books that were kept do not reconcile.
    pub read_only: Option<Arc<str>>,
}

impl State {
    /// Why nothing is filled in an underlying now although the exchange is open.
    pub fn waits(&self, symbol: &str) -> Option<Hindrance> {
        let at = self.clock.now;
        let why = || self.reliance().of(&self.world, symbol, at);
        is_open(at).then(why).flatten()
    }

    /// How far quotes of a market from files are relied on.
    pub fn reliance(&self) -> Reliance {
        Reliance {
            stale_after: self.stale_after,
            silent: self.silent,
            live: self.follows,
        }
    }

    /// Place of an order in the list.
    pub fn place_of(&self, id: u64) -> Option<usize> {
        // What is asked for is mostly open, and those are few.
        match self.open.binary_search_by_key(&id, |o| o.id) {
            Ok(at) => Some(self.open[at].place),
            Err(_) => self.orders.binary_search_by(|o| o.id.cmp(&id)).ok(),
        }
    }

    /// Whether an order of this number is open.
    pub fn is_open(&self, id: u64) -> bool {
        self.open.binary_search_by_key(&id, |o| o.id).is_ok()
    }

    /// Numbers of the open orders, ascending.
    pub fn open_numbers(&self) -> Vec<u64> {
        self.open.iter().map(|o| o.id).collect()
    }

    /// An order by its number.
    ///
    /// # Errors
    /// There is no such order.
    pub fn order(&self, id: u64) -> Result<&Arc<Order>, Refusal> {
        self.place_of(id)
            .and_then(|place| self.orders.get(place))
            .ok_or(Refusal::NoOrder(id))
    }

    /// Open orders, ascending by number.
    pub fn open_orders(&self) -> impl Iterator<Item = &Arc<Order>> {
        self.open.iter().filter_map(|o| self.orders.get(o.place))
    }

    /// The next number for an order or a campaign: no other has it.
    pub fn next_number(&self) -> u64 {
        let last = self.orders.last().map_or(0, |o| o.id);
        last.max(self.account.last_campaign().unwrap_or(0)) + 1
    }

    /// Adds an order, which is open as yet.
    pub(crate) fn add(&mut self, order: Order) {
        let (id, place) = (order.id, self.orders.len());
        Arc::make_mut(&mut self.open).push(OpenOrder { id, place });
        self.orders.push_back(Arc::new(order));
    }

    /// Of some orders those that have ended leave the list of the open ones; none comes back.
    pub(crate) fn forget_ended(&mut self, touched: &[u64]) {
        for id in touched {
            let ended = self.order(*id).is_ok_and(|o| !o.state().is_open());
            let found = self.open.binary_search_by_key(id, |o| o.id);
            if let (true, Ok(at)) = (ended, found) {
                Arc::make_mut(&mut self.open).remove(at);
            }
        }
    }

    /// The open orders to let the exchange work on.
    pub(crate) fn floor(&self) -> Vec<Arc<Order>> {
        self.open_orders().cloned().collect()
    }

    /// Takes over what the exchange did to orders.
    pub(crate) fn take_over(&mut self, orders: &[Arc<Order>], happened: &[ExecutionReport]) {
        let mut touched: Vec<u64> = happened.iter().map(|h| h.order).collect();
        touched.sort_unstable();
        touched.dedup();
        for id in touched {
            let changed = orders.binary_search_by_key(&id, |o| o.id);
            if let (Ok(at), Some(place)) = (changed, self.place_of(id)) {
                self.orders.set(place, Arc::clone(&orders[at]));
            }
        }
    }

    /// The day-trade rule that the account stands under today.
    pub fn day_trade_rule(&self) -> Option<DayTradeRule> {
        desk::day_trade_rule(self.clock.now.date(), self.day_trades)
            .filter(|_| self.rules.kind != desk::AccountKind::Cash)
    }

    /// Where the account stands under a rule.
    pub fn day_trading(&self, rule: DayTradeRule) -> DayTrading {
        let today = self.clock.now.date();
        let first = (1..rule.sessions).fold(today, |day, _| previous_session(day));
        let security = |i: &Instrument| {
            self.world
                .underlying_of(i)
                .is_some_and(|u| !u.settles_daily())
        };
        let changes = self.account.changes_since(first);
        let held = |i: &Instrument| self.account.held(i);
        desk::day_trading(rule, today, changes.into_iter(), held, security)
    }
}

/// Price of a known underlying now.
pub fn spot_of(state: &State, symbol: &str) -> Price {
    state
        .world
        .spot(symbol, state.clock.now)
        .unwrap_or_default()
}

/// An underlying by symbol.
///
/// # Errors
/// There is no such symbol; the refusal says which there are.
pub fn underlying_of<'a>(state: &'a State, symbol: &str) -> Result<&'a Underlying, Refusal> {
    let all = || {
        state
            .world
            .underlyings(state.clock.now)
            .map(|u| u.symbol.as_str())
            .collect::<Vec<_>>()
            .join(", ")
    };
    state
        .world
        .underlying(symbol)
        .ok_or_else(|| Refusal::UnknownSymbol(symbol.chars().take(20).collect(), all()))
}

/// Whether the exchange trades now, and when that changes next.
pub fn session(at: Moment) -> (bool, Moment) {
    let open = desk::calendar::is_open(at);
    (open, if open { next_close(at) } else { next_open(at) })
}
