//! What can be changed about an order that works: its limit, its size, how it is eased, what it is
//! tied to; and its end.

use std::sync::Arc;

use desk::order::Event;
use desk::{Easing, Fact, Link, Order, OrderError, Price, Pricing, Request, ticket};
use market::exchange;

use crate::commands::trading::{Tie, check_closing};
use crate::engine::Engine;
use crate::orders::record;
use crate::refusal::Refusal;
use crate::state::{spot_of, underlying_of};

/// Seconds between two steps of easing: a multiple of the time between two draws of the exchange.
const SHORTEST_EASE: i64 = 10;
const LONGEST_EASE: i64 = 3_600;

impl Engine {
    /// Lets things happen to orders that are open; where they may fill by it, the exchange looks at
    /// each of them once.
    fn change(&mut self, changes: Vec<(u64, Event)>, arrives: bool) -> Result<Vec<Order>, Refusal> {
        let mut next = self.state.clone();
        let now = next.clock.now;
        let mut facts = Vec::new();
        let mut touched: Vec<u64> = Vec::new();
        for (id, event) in changes {
            let place = next.place_of(id).ok_or(Refusal::NoOrder(id))?;
            let mut order = Order::clone(&next.orders[place]);
            order.events.push((now, event.clone()));
            next.orders.set(place, Arc::new(order));
            facts.push(Fact::Happened(id, now, event));
            if !touched.contains(&id) {
                touched.push(id);
            }
        }
        if arrives {
            for id in &touched {
                self.arrive(&mut next, *id, &mut facts);
            }
        }
        let changed = touched
            .iter()
            .map(|id| next.order(*id).map(|o| Order::clone(o)))
            .collect::<Result<_, _>>()?;
        self.commit(next, facts)?;
        Ok(changed)
    }

    fn change_one(&mut self, id: u64, event: Event, arrives: bool) -> Result<Order, Refusal> {
        Ok(self.change(vec![(id, event)], arrives)?.swap_remove(0))
    }

    /// A limit that may be set: on the tick, sensible, and within the account's means for all that
    /// is left.
    fn check_new_limit(&mut self, id: u64, price: Price) -> Result<(), Refusal> {
        let order = Arc::clone(self.state.order(id)?);
        order.require_open()?;
        if order.pricing() == Pricing::Market {
            return Err(OrderError::NoLimit(id).into());
        }
        let underlying = underlying_of(&self.state, &order.request.symbol)?;
        ticket::check_limit(
            &order.request.unit,
            underlying,
            spot_of(&self.state, &order.request.symbol),
            price,
        )?;
        let (quantity, link) = (order.wanted() - order.filled(), order.link());
        self.check_buying_power(
            &Request {
                pricing: Pricing::Limit(price),
                quantity,
                link,
                ..order.request.clone()
            },
            Some(id),
        )
    }

    /// Changes the limit of a working order; it may fill at once. A limit that was eased stops
    /// where it is put.
    ///
    /// # Errors
    /// The order has ended or is a market order, the limit is off its tick or makes no sense, or
    /// the account does not bear it.
    pub fn reprice(&mut self, id: u64, price: Price) -> Result<Order, Refusal> {
        self.check_new_limit(id, price)?;
        let mut changes = Vec::new();
        if self.state.order(id)?.easing().is_some() {
            changes.push((id, Event::Eased(None)));
        }
        changes.push((id, Event::Repriced(price)));
        self.change(changes, true)?
            .pop()
            .ok_or(Refusal::NoOrder(id))
    }

    /// Changes how many packages a working order asks for in all, what is filled among them.
    ///
    /// # Errors
    /// The order has ended, is tied, or more packages are not borne.
    pub fn resize(&mut self, id: u64, quantity: i64) -> Result<Order, Refusal> {
        let order = Arc::clone(self.state.order(id)?);
        order.require_open()?;
        ticket::check_quantity(&order.request.unit, quantity)?;
        let filled = order.filled();
        if quantity <= filled {
            return Err(OrderError::FewerThanFilled { id, filled }.into());
        }
        if order.link() != Link::default() || self.waits_for(id).next().is_some() {
            return Err(OrderError::Bound {
                id,
                why: "is tied to other orders and keeps its size; untie it first".into(),
            }
            .into());
        }
        let more = quantity - order.wanted();
        if more > 0 {
            let asked = Request {
                pricing: order.pricing(),
                quantity: more,
                // As it stands now: what it was once tied to does not count.
                link: Link::default(),
                ..order.request.clone()
            };
            if let Some(campaign) = asked.purpose.campaign() {
                check_closing(&self.state, &asked, campaign, &[])?;
            }
            self.check_buying_power(
                &Request {
                    quantity: quantity - filled,
                    ..asked
                },
                Some(id),
            )?;
        }
        if more == 0 {
            return Ok(Order::clone(&order));
        }
        self.change_one(id, Event::Resized(more), true)
    }

    /// Eases the limit of a working order from here on, or stops easing it.
    ///
    /// # Errors
    /// The order has ended or is a market order, or the way leads nowhere.
    pub fn ease(&mut self, id: u64, easing: Option<Easing>) -> Result<Order, Refusal> {
        let order = Arc::clone(self.state.order(id)?);
        order.require_open()?;
        if let Some(e) = easing {
            let Pricing::Limit(limit) = order.pricing() else {
                return Err(OrderError::NoLimit(id).into());
            };
            let wrong = |why: String| Refusal::Order(OrderError::Easing(why));
            if e.to <= limit {
                return Err(wrong(
                    "easing moves a price toward the market: its end must pay more, \
                                  or receive less, than the limit in force"
                        .into(),
                ));
            }
            if e.step <= Price::ZERO {
                return Err(wrong(format!(
                    "a step of {} does not move the price; write one above zero",
                    e.step
                )));
            }
            if !(SHORTEST_EASE..=LONGEST_EASE).contains(&e.every) || e.every % SHORTEST_EASE != 0 {
                return Err(wrong(format!(
                    "{} seconds between two steps; write {SHORTEST_EASE} to {LONGEST_EASE}, in \
                     steps of {SHORTEST_EASE}",
                    e.every
                )));
            }
            let ticks =
                underlying_of(&self.state, &order.request.symbol)?.ticks_of(&order.request.unit);
            let off = [limit + e.step, e.to]
                .into_iter()
                .find(|p| !ticks.allows(*p));
            if let Some(price) = off {
                return Err(OrderError::OffTick {
                    price,
                    tick: ticks.tick_at(price),
                    below: ticks.floor(price),
                    above: ticks.ceil(price),
                }
                .into());
            }
            self.check_new_limit(id, e.to)?;
        } else if order.easing().is_none() {
            return Ok(Order::clone(&order));
        }
        self.change_one(id, Event::Eased(easing), false)
    }

    /// Open orders that wait for this one.
    fn waits_for(&self, id: u64) -> impl Iterator<Item = &Arc<Order>> {
        self.state
            .open_orders()
            .filter(move |o| o.link().after == Some(id))
    }

    /// Ties orders that work already: each cancels the others, or the others wait for the first.
    ///
    /// # Errors
    /// Orders that have ended, are tied already, are filled in part or differ in size.
    pub fn tie(&mut self, ids: &[u64], tie: Tie) -> Result<Vec<Order>, Refusal> {
        let mut each = ids.to_vec();
        each.sort_unstable();
        each.dedup();
        if !(2..=4).contains(&ids.len()) || each.len() != ids.len() {
            return Err(Refusal::Field {
                field: "orders",
                message: format!("{} different orders; pick 2 to 4", each.len()),
            });
        }
        for id in ids {
            let order = self.state.order(*id)?;
            order.require_open()?;
            let why = if order.link() != Link::default() || self.waits_for(*id).next().is_some() {
                Some("is tied already; untie it first")
            } else if order.filled() > 0 {
                Some("is filled in part and cannot be tied")
            } else {
                None
            };
            if let Some(why) = why {
                return Err(OrderError::Bound {
                    id: *id,
                    why: why.into(),
                }
                .into());
            }
        }
        let (first, size) = (ids[0], self.state.order(ids[0])?.wanted());
        for id in ids {
            let other = self.state.order(*id)?.wanted();
            if other != size {
                let why = format!(
                    "asks for {other} where order {first} asks for {size}; tied orders have the \
                     same size"
                );
                return Err(OrderError::Bound { id: *id, why }.into());
            }
        }
        // An order that was untied may have left its number to those it was tied to.
        let free = |n: &&u64| {
            !self
                .state
                .open_orders()
                .any(|o| o.link().group == Some(**n))
        };
        let Some(group) = ids.iter().find(free).copied() else {
            return Err(OrderError::Bound {
                id: first,
                why: "was tied to orders that still work as one; untie those first".into(),
            }
            .into());
        };
        let link = |id: u64| match tie {
            Tie::OneCancelsOther => Some(Link {
                after: None,
                group: Some(group),
            }),
            Tie::OneTriggersOther => (id != first).then_some(Link {
                after: Some(first),
                group: None,
            }),
            Tie::Bracket => (id != first).then_some(Link {
                after: Some(first),
                group: Some(group),
            }),
        };
        let changes = ids
            .iter()
            .filter_map(|id| Some((*id, Event::Tied(link(*id)?))))
            .collect();
        self.change(changes, false)
    }

    /// Takes the ties of an order away, and those of the orders that wait for it or cancel it. What
    /// waited works from here on.
    ///
    /// # Errors
    /// The order has ended, or what waited is not borne.
    pub fn untie(&mut self, id: u64) -> Result<Vec<Order>, Refusal> {
        let order = Arc::clone(self.state.order(id)?);
        order.require_open()?;
        let group = order.link().group;
        let tied = |o: &&Arc<Order>| {
            let link = o.link();
            (o.id == id && link != Link::default())
                || link.after == Some(id)
                || (group.is_some() && link.group == group && order.link().after.is_none())
        };
        let ids: Vec<u64> = self
            .state
            .open_orders()
            .filter(tied)
            .map(|o| o.id)
            .collect();
        for id in &ids {
            let o = Arc::clone(self.state.order(*id)?);
            let asked = Request {
                pricing: o.pricing(),
                quantity: o.wanted() - o.filled(),
                link: Link::default(),
                ..o.request.clone()
            };
            if let Some(campaign) = asked.purpose.campaign().filter(|_| o.waiting() > 0) {
                check_closing(&self.state, &asked, campaign, &[])?;
            }
            // Where one of several could fill, all can now.
            if o.waiting() > 0 || o.link().group.is_some() {
                self.check_buying_power(&asked, Some(*id))?;
            }
        }
        self.change(
            ids.into_iter()
                .map(|id| (id, Event::Tied(Link::default())))
                .collect(),
            true,
        )
    }

    /// Cancels what is left of several orders at once, those that wait for others before them; for
    /// each the order as it then is. What has ended meanwhile is left as it ended, and so is what
    /// ends because another of them does.
    ///
    /// # Errors
    /// There is no such order.
    pub fn cancel_all(&mut self, ids: &[u64]) -> Result<Vec<Order>, Refusal> {
        let mut wanted = Vec::new();
        for id in ids {
            wanted.push((self.state.order(*id)?.link().after.is_none(), *id));
        }
        wanted.sort_by_key(|(waits_for_none, _)| *waits_for_none);
        let (mut next, mut happened) = (self.state.clone(), Vec::new());
        let mut orders = next.floor();
        for (_, id) in wanted {
            let open = |o: &Arc<Order>| o.id == id && o.state().is_open();
            if orders.iter().any(open) {
                let ended = exchange::end(&mut orders, id, next.clock.now, Event::Cancelled);
                happened.extend(ended);
            }
        }
        next.take_over(&orders, &happened);
        let ended: Vec<Order> = ids
            .iter()
            .map(|id| Ok(Order::clone(next.order(*id)?)))
            .collect::<Result<_, Refusal>>()?;
        if !happened.is_empty() {
            let mut facts = Vec::new();
            record(&mut next, happened, &mut facts);
            self.commit(next, facts)?;
        }
        Ok(ended)
    }

    /// Cancels what is left of a working order.
    ///
    /// # Errors
    /// There is no such order, or it has ended.
    pub fn cancel(&mut self, id: u64) -> Result<Order, Refusal> {
        self.state.order(id)?.require_open()?;
        let ended = self.cancel_all(&[id])?;
        ended.into_iter().next().ok_or(Refusal::NoOrder(id))
    }
}
