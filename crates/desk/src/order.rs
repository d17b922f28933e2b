//! Orders: what is asked of the exchange, and what became of it.
//!
//! An order is its immutable request plus a list of events; its state is computed from them. Prices
//! follow the sign convention of `package`: a limit is the most a buyer of the package pays, so a
//! better price is always a lower one.

use jiff::civil::Date;

use crate::instrument::Instrument;
use crate::number::{Money, Price};
use crate::package::Package;
use crate::ticket::OrderError;
use crate::time::Moment;
use crate::underlying::Underlying;

/// How the price of an order is set.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Pricing {
    /// At the cross, whatever it is.
    Market,
    /// At this price or better (lower).
    Limit(Price),
}

/// How long an order stands.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum TimeInForce {
    /// Until the close of the session it is placed in (or for: when closed, the next).
    Day,
    /// Until it is filled or cancelled.
    GoodTillCancelled,
    /// Until the close of this date.
    GoodTillDate(Date),
    /// What can be filled on arrival is, the rest ends.
    ImmediateOrCancel,
    /// Filled whole on arrival or not at all.
    FillOrKill,
}

/// Which price of a package a trigger watches.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum TriggerSide {
    /// The middle of its market.
    Mark,
    /// What buying it costs at once.
    Cross,
    /// What others bid for it.
    Rest,
}

/// When a held order goes to the market: once the price watched stands at or above the level. An
/// order buys its package, so a price that rises is the one that hurts; a holder who protects a
/// long package sends its reverse, whose price is below zero.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Trigger {
    /// What is watched.
    pub side: TriggerSide,
    /// The level and the side from which it has to be reached.
    pub level: Level,
}

/// The level of a trigger.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Level {
    /// It stays here.
    At(Price),
    /// So far above the lowest price seen since the order was accepted.
    Trailing(Price),
}

/// What ties an order to others.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Link {
    /// It becomes active as this order fills, package for package.
    pub after: Option<u64>,
    /// Orders with the same number here cancel each other: a fill of one takes as many packages
    /// from the others.
    pub group: Option<u64>,
}

/// What counts once where orders are added up: an order, or orders that cancel each other. A group
/// may bear the number of an order that has left it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Turn {
    /// One order, by its number.
    Alone(u64),
    /// Orders that cancel each other, by the group's number.
    Group(u64),
}

/// A limit that moves toward the market by itself, until it fills or stands at its end.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Easing {
    /// Added at each step; above zero, as a better price is a lower one.
    pub step: Price,
    /// Seconds of exchange time between two steps; none is made while the market is closed.
    pub every: i64,
    /// The limit it ends at.
    pub to: Price,
}

/// What an order is for.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Purpose {
    /// Opens a campaign of its own.
    #[default]
    Open,
    /// Closes (part of) this campaign, whose lots go first.
    Close(u64),
    /// Closes legs of this campaign and opens others in it.
    Roll(u64),
}

impl Purpose {
    /// The campaign it was sent from.
    pub fn campaign(self) -> Option<u64> {
        match self {
            Purpose::Open => None,
            Purpose::Close(campaign) | Purpose::Roll(campaign) => Some(campaign),
        }
    }
}

/// What was asked for; never changes.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Request {
    /// Given by the client; a second request with the same id is the same order.
    pub client_id: String,
    /// The symbol of the underlying that the legs are on.
    pub symbol: String,
    /// One package, lowest ratio, bought.
    pub unit: Package,
    /// How many packages are wanted, above zero.
    pub quantity: i64,
    /// Price at placement; with a trigger, once it is triggered.
    pub pricing: Pricing,
    /// Held until the market triggers it: a stop (with a market price), a stop limit, or either
    /// trailing.
    pub trigger: Option<Trigger>,
    /// Other orders it depends on.
    pub link: Link,
    /// How long it stands.
    pub time_in_force: TimeInForce,
    /// Whether it opens, closes or rolls a campaign.
    pub purpose: Purpose,
    /// Of a roll: the legs that close, by their place in the package. The engine finds them when
    /// the order is placed; what the client sends stays empty.
    pub closing: Vec<usize>,
}

impl Request {
    /// Whether a leg of the package, by its place, closes what is held: every one of a closing
    /// order, none of an opening one.
    pub fn closes(&self, place: usize) -> bool {
        match self.purpose {
            Purpose::Open => false,
            Purpose::Close(_) => true,
            Purpose::Roll(_) => self.closing.contains(&place),
        }
    }
}

/// One execution of an order, of one package or several at one price.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Fill {
    /// The number of the order that was filled.
    pub order: u64,
    /// The moment of the execution.
    pub at: Moment,
    /// How many whole packages were filled, above zero.
    pub packages: i64,
    /// Net price of one package.
    pub price: Price,
    /// Contract, signed contracts, price of each leg; the prices sum to `price` over the ratio.
    pub legs: Vec<FillLeg>,
    /// Fees of this execution.
    pub fees: Money,
}

/// One leg of an execution.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FillLeg {
    /// The option series, or the underlying.
    pub instrument: Instrument,
    /// Signed contracts, shares or futures.
    pub quantity: i64,
    /// Price per unit.
    pub price: Price,
    /// What the instrument was then; absent in fills that older programs kept: what it is now.
    pub terms: Option<FillTerms>,
}

/// What an instrument was when it was traded: books are replayed by it, also where the market says
/// otherwise later.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct FillTerms {
    /// Units of one contract, share or future.
    pub units: i64,
    /// Settled daily: nothing is paid for it at a trade.
    pub margined: bool,
}

impl FillTerms {
    /// What an instrument of an underlying is now.
    pub fn of(instrument: &Instrument, underlying: &Underlying) -> FillTerms {
        FillTerms {
            units: underlying.units(instrument),
            margined: underlying.is_margined(instrument),
        }
    }
}

/// Something that happened to an order.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Event {
    /// Taken in by the exchange.
    Accepted,
    /// Has a new limit.
    Repriced(Price),
    /// So many packages more (below zero: fewer) are asked for.
    Resized(i64),
    /// Its limit is eased from here on, or no longer.
    Eased(Option<Easing>),
    /// It depends on other orders in another way than it was placed with.
    Tied(Link),
    /// So many packages became active: the order it waits for filled them.
    Activated(i64),
    /// So many packages fell away, those that could have filled first: an order that cancels it
    /// filled them, or what it closes is no longer held.
    Reduced(i64),
    /// So many packages that still waited fell away: the order they waited for ended without them.
    Forgone(i64),
    /// The lowest price seen, which a trailing trigger follows.
    Trailed(Price),
    /// The trigger saw this price: the order is at the market.
    Triggered(Price),
    /// Executed, at least partly.
    Filled(Fill),
    /// Cancelled by the trader.
    Cancelled,
    /// Ended by the exchange, with the reason.
    Expired(String),
}

/// Where an order stands.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum OrderState {
    /// Waits for another order to fill.
    Waiting,
    /// Watches the market for its trigger.
    Watching,
    /// At the exchange, nothing filled.
    Working,
    /// At the exchange, some filled.
    PartlyFilled,
    /// All of its packages were filled.
    Filled,
    /// Cancelled; what was filled before stays.
    Cancelled,
    /// Ended unfilled (or partly) by time or expiration.
    Expired,
}

/// A request with its history.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Order {
    /// Number given by the desk, ascending.
    pub id: u64,
    /// When it was placed.
    pub placed: Moment,
    /// What was asked for.
    pub request: Request,
    /// Moments and events, oldest first.
    pub events: Vec<(Moment, Event)>,
}

impl Order {
    /// The moment from which on it stands as its owner left it: when it was placed, given another limit or
    /// size, or became active. Steps of easing are its own.
    pub fn stands_since(&self) -> Moment {
        let mut eased = false;
        let mut since = self.placed;
        for (at, event) in &self.events {
            match event {
                Event::Eased(easing) => eased = easing.is_some(),
                Event::Repriced(_) if eased => {}
                Event::Repriced(_) | Event::Resized(_) | Event::Activated(_) => since = *at,
                Event::Accepted
                | Event::Tied(_)
                | Event::Reduced(_)
                | Event::Forgone(_)
                | Event::Trailed(_)
                | Event::Triggered(_)
                | Event::Filled(_)
                | Event::Cancelled
                | Event::Expired(_) => {}
            }
        }
        since
    }
}

/// How the packages of an order stand.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Progress {
    /// Packages that were asked for.
    pub asked: i64,
    /// Waiting for another order to fill.
    pub waiting: i64,
    /// May fill now.
    pub active: i64,
    /// Packages that have been filled.
    pub filled: i64,
}

impl Progress {
    /// Asked for, less those that fell away.
    pub fn wanted(&self) -> i64 {
        self.waiting + self.active + self.filled
    }
}

impl OrderState {
    /// In one or two words.
    pub fn word(self) -> &'static str {
        match self {
            OrderState::Waiting => "waiting",
            OrderState::Watching => "watching",
            OrderState::Working => "working",
            OrderState::PartlyFilled => "partly filled",
            OrderState::Filled => "filled",
            OrderState::Cancelled => "cancelled",
            OrderState::Expired => "expired",
        }
    }

    /// Whether it can still be filled, changed or cancelled.
    pub fn is_open(self) -> bool {
        matches!(
            self,
            OrderState::Waiting
                | OrderState::Watching
                | OrderState::Working
                | OrderState::PartlyFilled
        )
    }
}

impl Order {
    /// Packages filled so far.
    pub fn filled(&self) -> i64 {
        self.fills().map(|f| f.packages).sum()
    }

    /// Executions, oldest first.
    pub fn fills(&self) -> impl Iterator<Item = &Fill> {
        self.events.iter().filter_map(|(_, e)| {
            if let Event::Filled(f) = e {
                Some(f)
            } else {
                None
            }
        })
    }

    /// How its packages stand, computed from the events in their order.
    pub fn progress(&self) -> Progress {
        let quantity = self.request.quantity;
        let mut p = Progress {
            asked: quantity,
            ..Progress::default()
        };
        if self.request.link.after.is_some() {
            p.waiting = quantity;
        } else {
            p.active = quantity;
        }
        for (_, event) in &self.events {
            match event {
                Event::Resized(n) => {
                    p.asked += n;
                    p.active = (p.active + n).max(0);
                }
                Event::Activated(n) => {
                    let n = (*n).min(p.waiting);
                    p.waiting -= n;
                    p.active += n;
                }
                Event::Reduced(n) => {
                    let active = (*n).min(p.active);
                    p.active -= active;
                    p.waiting = (p.waiting - (n - active)).max(0);
                }
                Event::Forgone(n) => p.waiting = (p.waiting - n).max(0),
                Event::Filled(f) => {
                    p.active = (p.active - f.packages).max(0);
                    p.filled += f.packages;
                }
                Event::Tied(link) if link.after.is_some() => {
                    p.waiting += std::mem::take(&mut p.active);
                }
                Event::Tied(_) => p.active += std::mem::take(&mut p.waiting),
                _ => {}
            }
        }
        p
    }

    /// Packages asked for.
    pub fn asked(&self) -> i64 {
        self.progress().asked
    }

    /// Packages asked for, less those that fell away.
    pub fn wanted(&self) -> i64 {
        self.progress().wanted()
    }

    /// The last that `of` finds in what happened.
    fn last<T>(&self, of: impl Fn(&Event) -> Option<T>) -> Option<T> {
        self.events.iter().rev().find_map(|(_, e)| of(e))
    }

    /// Which order it is, or which group of orders of which one fills.
    pub fn turn(&self) -> Turn {
        self.link().group.map_or(Turn::Alone(self.id), Turn::Group)
    }

    /// What ties it to others now.
    pub fn link(&self) -> Link {
        self.last(|e| {
            if let Event::Tied(link) = e {
                Some(*link)
            } else {
                None
            }
        })
        .unwrap_or(self.request.link)
    }

    /// How its limit is eased now, and since when it stands where it stands; nothing once it has
    /// come to its end.
    pub fn easing(&self) -> Option<(Easing, Moment)> {
        let easing = self.last(|e| {
            if let Event::Eased(easing) = e {
                Some(*easing)
            } else {
                None
            }
        })??;
        let since = self
            .events
            .iter()
            .rev()
            .find(|(_, e)| matches!(e, Event::Eased(_) | Event::Repriced(_)))
            .map(|(at, _)| *at)?;
        let Pricing::Limit(limit) = self.pricing() else {
            return None;
        };
        (limit < easing.to).then_some((easing, since))
    }

    /// Packages that wait for another order to fill.
    pub fn waiting(&self) -> i64 {
        self.progress().waiting
    }

    /// Packages that may fill now.
    pub fn remaining(&self) -> i64 {
        self.progress().active
    }

    /// Whether a trigger still keeps it from the market.
    pub fn watches(&self) -> Option<Trigger> {
        self.request.trigger.filter(|_| {
            !self
                .events
                .iter()
                .any(|(_, e)| matches!(e, Event::Triggered(_)))
        })
    }

    /// The price at which its trigger acts, once a trailing one has seen a price.
    pub fn trigger_level(&self) -> Option<Price> {
        match self.request.trigger?.level {
            Level::At(price) => Some(price),
            Level::Trailing(by) => self.last(|e| {
                if let Event::Trailed(p) = e {
                    Some(*p + by)
                } else {
                    None
                }
            }),
        }
    }

    /// Pricing now in force.
    pub fn pricing(&self) -> Pricing {
        self.last(|e| {
            if let Event::Repriced(p) = e {
                Some(*p)
            } else {
                None
            }
        })
        .map_or(self.request.pricing, Pricing::Limit)
    }

    /// Where it stands, by its events.
    pub fn state(&self) -> OrderState {
        let ended = self.events.iter().find_map(|(_, e)| match e {
            Event::Cancelled => Some(OrderState::Cancelled),
            Event::Expired(_) => Some(OrderState::Expired),
            _ => None,
        });
        let progress = self.progress();
        let filled = progress.filled;
        if filled > 0 && filled >= progress.wanted() {
            OrderState::Filled
        } else if let Some(state) = ended {
            state
        } else if progress.active == 0 {
            OrderState::Waiting
        } else if self.watches().is_some() {
            OrderState::Watching
        } else if filled > 0 {
            OrderState::PartlyFilled
        } else {
            OrderState::Working
        }
    }

    /// Refuses to touch an order that has ended.
    ///
    /// # Errors
    /// It is filled, cancelled or ended otherwise.
    pub fn require_open(&self) -> Result<(), OrderError> {
        let state = self.state();
        if state.is_open() {
            Ok(())
        } else {
            Err(OrderError::NotWorking {
                id: self.id,
                state: state.word(),
            })
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::contract::Contract;
    use crate::holding::Leg;
    use quant::Kind;

    fn order(quantity: i64, link: Link, trigger: Option<Trigger>, events: Vec<Event>) -> Order {
        let contract = Contract {
            root: "TEST".into(),
            expiry: jiff::civil::date(2031, 4, 18),
            kind: Kind::Call,
            strike: Price::cents(10_000),
        };
        let request = Request {
            client_id: "a".into(),
            symbol: "TEST".into(),
            unit: Package::new([Leg::option(contract, 1)]).unwrap(),
            quantity,
            pricing: Pricing::Market,
            trigger,
            link,
            time_in_force: TimeInForce::Day,
            purpose: Purpose::Open,
            closing: Vec::new(),
        };
        let at = Moment::from_millis(0);
        Order {
            id: 1,
            placed: at,
            request,
            events: events.into_iter().map(|e| (at, e)).collect(),
        }
    }

    fn filled(packages: i64) -> Event {
        Event::Filled(Fill {
            order: 1,
            at: Moment::from_millis(0),
            packages,
            price: Price::ZERO,
            legs: Vec::new(),
            fees: Money::ZERO,
        })
    }

    /// The state follows from the events alone: what waits, watches, falls away and fills.
    #[test]
    fn the_state_is_computed_from_what_happened() {
        let child = Link {
            after: Some(7),
            group: None,
        };
        let stop = Some(Trigger {
            side: TriggerSide::Mark,
            level: Level::Trailing(Price::cents(50)),
        });
        let seen = |link, trigger, events| {
            let o = order(4, link, trigger, events);
            (o.state(), o.remaining(), o.waiting())
        };
        use Event::{Activated, Cancelled, Forgone, Reduced, Resized, Tied, Trailed, Triggered};
        let free = Link::default();
        for (link, trigger, events, want) in [
            (free, None, vec![], (OrderState::Working, 4, 0)),
            (
                free,
                None,
                vec![filled(1)],
                (OrderState::PartlyFilled, 3, 0),
            ),
            (
                free,
                None,
                vec![filled(1), Reduced(1)],
                (OrderState::PartlyFilled, 2, 0),
            ),
            (
                free,
                None,
                vec![filled(3), Reduced(1)],
                (OrderState::Filled, 0, 0),
            ),
            (
                free,
                None,
                vec![Reduced(4), Event::Expired("order 2 filled".into())],
                (OrderState::Expired, 0, 0),
            ),
            (child, None, vec![], (OrderState::Waiting, 0, 4)),
            (child, None, vec![Activated(3)], (OrderState::Working, 3, 1)),
            (
                child,
                None,
                vec![Activated(3), filled(3)],
                (OrderState::Waiting, 0, 1),
            ),
            (
                child,
                None,
                vec![Activated(3), Forgone(1)],
                (OrderState::Working, 3, 0),
            ),
            (
                child,
                None,
                vec![Activated(3), filled(3), Forgone(1)],
                (OrderState::Filled, 0, 0),
            ),
            // Two of four are there to close; the other order of a bracket closed them.
            (
                child,
                None,
                vec![Activated(2), Reduced(2)],
                (OrderState::Waiting, 0, 2),
            ),
            (
                child,
                stop,
                vec![Activated(4)],
                (OrderState::Watching, 4, 0),
            ),
            (
                free,
                stop,
                vec![Trailed(Price::cents(120)), Triggered(Price::cents(171))],
                (OrderState::Working, 4, 0),
            ),
            (free, stop, vec![Cancelled], (OrderState::Cancelled, 4, 0)),
            (
                free,
                None,
                vec![filled(1), Resized(-3)],
                (OrderState::Filled, 0, 0),
            ),
            (
                free,
                None,
                vec![Resized(3), filled(1), Reduced(1)],
                (OrderState::PartlyFilled, 5, 0),
            ),
            (free, None, vec![Tied(child)], (OrderState::Waiting, 0, 4)),
            (child, None, vec![Tied(free)], (OrderState::Working, 4, 0)),
        ] {
            assert_eq!(seen(link, trigger, events.clone()), want, "{events:?}");
        }
    }

    /// A trailing stop keeps its best level; an order eases until its limit has come to the end.
    #[test]
    fn levels_and_limits_move_with_what_happened() {
        use Event::{Eased, Repriced, Trailed};
        let free = Link::default();
        let stop = Some(Trigger {
            side: TriggerSide::Mark,
            level: Level::Trailing(Price::cents(50)),
        });
        assert_eq!(
            order(
                1,
                free,
                stop,
                vec![Trailed(Price::cents(130)), Trailed(Price::cents(120))]
            )
            .trigger_level(),
            Some(Price::cents(170))
        );
        assert_eq!(order(1, free, stop, vec![]).trigger_level(), None);
        let easing = Easing {
            step: Price::cents(5),
            every: 30,
            to: Price::cents(120),
        };
        let eased = |events| order(1, free, None, events).easing().map(|(e, _)| e);
        let at = |cents| Repriced(Price::cents(cents));
        assert_eq!(
            eased(vec![at(100), Eased(Some(easing)), at(105)]),
            Some(easing)
        );
        assert_eq!(
            eased(vec![at(100), Eased(Some(easing)), at(120)]),
            None,
            "it has come to its end"
        );
        assert_eq!(eased(vec![at(100), Eased(Some(easing)), Eased(None)]), None);
    }
}
