//! The engine: its state made from facts, its clock, and how every change becomes facts.

use std::collections::{HashMap, HashSet};
use std::sync::Arc;

use desk::calendar::close_of;
use desk::order::Event;
use desk::{
    Account, AccountKind, AccountRules, Cause, ClockState, DayTradeSwitch, EntryKind, Fact,
    HIGHEST_LEVEL, Instrument, Journalled, Moment, Money, Occurrence, Order, PORTFOLIO_LEAST,
    Saved,
};
use market::exchange::{self, Displayed, ExecutionReport, Looks, Round};
use market::session::{self, Phase};
use market::{Clock, Quoter, SPEEDS, Step, World, lifecycle};

use crate::bells::{deficit_bell, listen_until};
use crate::days::ClosingLooks;
use crate::judging::{look, looks_often};
use crate::money::Reserves;
use crate::orders::{bears, closable, order_words, record};
use crate::pace::{A_MINUTE, hour_or_bound_after, is_look, look_after, opens_at};
use crate::refusal::Refusal;
use crate::sight::Sights;
use crate::state::{OpenOrder, State};

/// Names of the settings that keep the account's kind, level and day-trade switch, and when rounds
/// were last gone through.
pub(crate) const LOOKED: &str = "looked_ms";
pub(crate) const KIND: &str = "account_kind";
pub(crate) const LEVEL: &str = "account_level";
pub(crate) const DAY_TRADES: &str = "day_trades";
/// When quotes of a market from files are stale, in milliseconds.
const STALE: &str = "stale_after_ms";
/// Least and most of that: a second, and a day.
const STALE_WITHIN: (i64, i64) = (1_000, 86_400_000);

/// Orders and bells looked at, each minute counted, at a stretch: some hundredths of a second.
const AT_A_STRETCH: i64 = 2_000;

/// One account living through one market.
pub struct Engine {
    pub(crate) state: State,
    pub(crate) quoter: Quoter,
    pub(crate) sights: Sights,
    closing_looks: ClosingLooks,
    pub(crate) reserves: Reserves,
    /// The number under which a ticket was placed; whoever asks looks whether the order is there.
    pub(crate) by_client: HashMap<String, u64>,
    /// What happened and was not taken yet.
    facts: Vec<Fact>,
    /// Nanoseconds of real time that made no whole millisecond of the exchange's yet.
    spare: i64,
}

/// Where an engine stood, to go back to.
pub struct Checkpoint {
    state: State,
    facts: usize,
}

impl Engine {
    /// Rebuilds the state from what was kept, by replaying it, and proves that the books agree.
    /// Where they do not, the engine can be read and not changed, and says which entry differs
    /// ([`State::read_only`]). `start` is the moment of a run that has no clock yet.
    pub fn restore(world: Arc<World>, saved: Saved, start: Moment) -> Engine {
        let (account, wrong) = replayed(&world, &saved);
        let clock = clock_of(saved.clock, start);
        let setting = |name: &str| saved.settings.get(name).map(String::as_str);
        let mut kinds = desk::AccountKind::ALL.into_iter();
        let kind = kinds.find(|k| Some(k.word()) == setting(KIND));
        let level = setting(LEVEL).and_then(|text| text.parse().ok());
        let rules = AccountRules {
            kind: kind.unwrap_or_default(),
            level: level.unwrap_or(HIGHEST_LEVEL),
        };
        let day_trades = if setting(DAY_TRADES) == Some("off") {
            DayTradeSwitch::Off
        } else {
            DayTradeSwitch::ByDate
        };
        let mut displayed = Displayed::default();
        let today: HashSet<u64> = account
            .entries_since(clock.now.date())
            .filter_map(|e| e.order)
            .collect();
        let traded = saved.orders.iter().filter(|o| today.contains(&o.id));
        for fill in traded.flat_map(Order::fills) {
            displayed.note(&world, fill);
        }
        let open = saved.orders.iter().enumerate();
        let open = open.filter(|(_, o)| o.state().is_open());
        let state = State {
            clock,
            open: Arc::new(
                open.map(|(place, o)| OpenOrder { id: o.id, place })
                    .collect(),
            ),
            account: Arc::new(account),
            declined: Arc::new(saved.declined.into_iter().collect()),
            drafts: Arc::new(saved.drafts.into_iter().collect()),
            my_rules: Arc::new(saved.rules),
            standing: Arc::new(
                saved
                    .standing
                    .into_iter()
                    .map(|(rule, campaign, s)| ((rule, campaign), s))
                    .collect(),
            ),
            decisions: Arc::new(saved.decisions),
            own_dates: Arc::new(saved.own_dates),
            day_notes: Arc::new(saved.day_notes.into_iter().collect()),
            entry_notes: Arc::new(saved.entry_notes.into_iter().collect()),
            said: Arc::new(saved.said.into_iter().collect()),
            looked: saved
                .settings
                .get(LOOKED)
                .and_then(|t| t.parse().ok())
                .map(Moment::from_millis),
            rules,
            day_trades,
            bells: Arc::new(saved.bells.into_iter().map(Arc::new).collect()),
            displayed: Arc::new(displayed),
            reserved: Money::ZERO,
            memo: Arc::default(),
            slot_memo: Arc::default(),
            days: Arc::new(saved.days),
            version: 1,
            heading: None,
            stands: None,
            stale_after: setting(STALE)
                .and_then(|text| text.parse().ok())
                .unwrap_or(exchange::STALE_AFTER),
            follows: false,
            silent: false,
            read_only: wrong.map(Arc::from),
            orders: saved.orders.into_iter().map(Arc::new).collect(),
            world,
        };
        let by_client = state
            .orders
            .iter()
            .map(|o| (o.request.client_id.clone(), o.id))
            .collect();
        let mut engine = Engine {
            state,
            quoter: Quoter::new(),
            sights: Sights::default(),
            closing_looks: ClosingLooks::default(),
            reserves: Reserves::default(),
            by_client,
            facts: Vec::new(),
            spare: 0,
        };
        engine.reserve_anew();
        engine
    }

    /// The state now.
    pub fn state(&self) -> &State {
        &self.state
    }

    /// Takes what happened since it was taken last, in its order: to be kept, all or none.
    pub fn take_facts(&mut self) -> Vec<Fact> {
        std::mem::take(&mut self.facts)
    }

    /// Remembers where it stands.
    pub fn checkpoint(&self) -> Checkpoint {
        Checkpoint {
            state: self.state.clone(),
            facts: self.facts.len(),
        }
    }

    /// Goes back to where it stood: of what came after, nothing has happened. For facts that could
    /// not be kept.
    pub fn go_back(&mut self, to: Checkpoint) {
        self.state = to.state;
        self.facts.truncate(to.facts);
        self.reserve_anew();
    }

    /// A command, and what it means, as one: where that is refused, the command has not happened either.
    /// A refusal of the command itself is told as it always is.
    ///
    /// # Errors
    /// What either refuses.
    pub fn with_meaning<A, B>(
        &mut self,
        command: impl FnOnce(&mut Engine) -> Result<A, Refusal>,
        means: impl FnOnce(&mut Engine, A) -> Result<B, Refusal>,
    ) -> Result<B, Refusal> {
        let before = self.checkpoint();
        let done = command(self)?;
        let meant = means(self, done);
        if meant.is_err() {
            self.go_back(before);
        }
        meant
    }

    /// The order that a ticket was placed as.
    pub(crate) fn placed_as(&self, client_id: &str) -> Option<&Arc<Order>> {
        let id = self.by_client.get(client_id)?;
        let found = self.state.order(*id).ok();
        found.filter(|o| o.request.client_id == client_id)
    }

    /// Lets a change become the state, with its facts and the clock, if the books it makes hold.
    pub(crate) fn commit(&mut self, mut next: State, mut facts: Vec<Fact>) -> Result<(), Refusal> {
        self.refuse_read_only()?;
        next.version += 1;
        self.settle_open_orders(&mut next, &facts);
        facts.extend(deficit_bell(&mut next, &mut self.quoter));
        if facts.iter().any(is_booked) {
            self.look(&mut next, true, &mut facts);
        }
        facts.push(clock_fact(&next.clock));
        self.keep(next, facts)
    }

    /// Holds rules and bells on figures against the book of now.
    pub(crate) fn look(&mut self, next: &mut State, account: bool, facts: &mut Vec<Fact>) {
        look(next, (&mut self.quoter, &mut self.sights), account, facts);
    }

    fn keep(&mut self, next: State, facts: Vec<Fact>) -> Result<(), Refusal> {
        let before = self.state.account.entries().len();
        let wrong = if next.account.entries().len() > before {
            next.account.violations_since(before)
        } else {
            Vec::new()
        };
        if !wrong.is_empty() {
            self.reserve_anew();
            return Err(Refusal::Inconsistent(wrong.join("; ")));
        }
        for fact in &facts {
            if let Fact::Placed(order) = fact {
                let ticket = order.request.client_id.clone();
                self.by_client.insert(ticket, order.id);
            }
        }
        self.facts.extend(facts);
        self.state = next;
        Ok(())
    }

    fn refuse_read_only(&self) -> Result<(), Refusal> {
        match &self.state.read_only {
            Some(why) => Err(Refusal::ReadOnly(why.to_string())),
            None => Ok(()),
        }
    }

    /// Open orders and reservations after what happened.
    fn settle_open_orders(&mut self, next: &mut State, facts: &[Fact]) {
        let mut touched: Vec<u64> = facts
            .iter()
            .filter_map(|f| match f {
                Fact::Placed(order) => Some(order.id),
                Fact::Happened(id, ..) => Some(*id),
                _ => None,
            })
            .collect();
        touched.sort_unstable();
        touched.dedup();
        next.forget_ended(&touched);
        self.reserves
            .bring_up_to_date(next, &mut self.quoter, &touched);
    }

    /// Works the reservations out from nothing; what was remembered may be of what has not
    /// happened.
    fn reserve_anew(&mut self) {
        self.reserves = Reserves::default();
        let mut state = State {
            memo: Arc::default(),
            slot_memo: Arc::default(),
            ..self.state.clone()
        };
        let open = state.open_numbers();
        self.reserves
            .bring_up_to_date(&mut state, &mut self.quoter, &open);
        self.state = state;
    }

    /// Where the clock has to be when so much real time has passed, in nanoseconds; nothing where it
    /// stays. What makes no whole millisecond of the exchange's time counts the next time.
    pub fn due(&mut self, real_nanos: i64) -> Option<Moment> {
        let stands = self.state.follows || !self.state.clock.running;
        if stands || self.state.read_only.is_some() {
            self.spare = 0;
            return None;
        }
        let nanos = self.spare + real_nanos * i64::from(self.state.clock.speed);
        let (millis, spare) = (nanos / 1_000_000, nanos % 1_000_000);
        self.spare = spare;
        let now = self.state.clock.now;
        let to = now
            .plus_millis(millis)
            .min(close_of(self.state.world.last()))
            .max(now);
        (to > now).then_some(to)
    }

    /// Where a step leads.
    pub fn target(&self, step: Step) -> Moment {
        let (state, now) = (&self.state, self.state.clock.now);
        let own = state.world.underlyings(now);
        state.clock.target(step, own, state.world.last())
    }

    /// Runs, pauses or changes speed.
    ///
    /// # Errors
    /// There is no such speed.
    pub fn set_clock(&mut self, running: Option<bool>, speed: Option<u32>) -> Result<(), Refusal> {
        let mut next = self.state.clone();
        next.clock.running = running.unwrap_or(next.clock.running);
        if let Some(speed) = speed {
            self.refuse_followed("speed")?;
            if !SPEEDS.contains(&speed) {
                let message = format!("{speed} is not a speed; choose one of {SPEEDS:?}");
                return Err(Refusal::Field {
                    field: "speed",
                    message,
                });
            }
            next.clock.speed = speed;
        }
        self.commit(next, Vec::new())
    }

    /// Lets the clock follow what comes to the market: it goes to each new moment and stands there. Whoever
    /// drives the engine takes it there.
    pub fn follow(&mut self) {
        self.state.follows = true;
    }

    /// Quotes of the very moment, or of one before it, have come after the clock had: what was worked out at
    /// this moment is forgotten, and the exchange looks at the open orders in their symbols.
    ///
    /// # Errors
    /// The books that it makes do not hold, or they did not when they were opened.
    pub fn look_again(&mut self, symbols: &[String]) -> Result<(), Refusal> {
        let of = |o: &&Arc<Order>| symbols.contains(&o.request.symbol);
        let open: Vec<u64> = self.state.open_orders().filter(of).map(|o| o.id).collect();
        self.state.memo = Arc::default();
        self.sights.forget_moment();
        self.state.version += 1;
        let (mut next, mut facts) = (self.state.clone(), Vec::new());
        for id in open {
            if next.is_open(id) {
                self.arrive(&mut next, id, &mut facts);
            }
        }
        if facts.is_empty() {
            return Ok(());
        }
        self.commit(next, facts)
    }

    /// Tells that nothing has come for too long, or that it has again.
    pub fn fall_silent(&mut self, silent: bool) {
        self.state.silent = silent;
    }

    /// Sets after how many milliseconds quotes of a market from files are stale.
    ///
    /// # Errors
    /// It is too short or too long.
    pub fn set_stale_after(&mut self, millis: i64) -> Result<(), Refusal> {
        let (least, most) = STALE_WITHIN;
        if !(least..=most).contains(&millis) {
            return Err(Refusal::Field {
                field: "staleAfter",
                message: format!(
                    "{} seconds; write {} to {}",
                    millis / 1_000,
                    least / 1_000,
                    most / 1_000
                ),
            });
        }
        let mut next = self.state.clone();
        next.stale_after = millis;
        self.commit(next, vec![Fact::Setting(STALE.into(), millis.to_string())])
    }

    /// Refuses to lead a clock that follows its market.
    ///
    /// # Errors
    /// It does.
    pub fn refuse_followed(&self, field: &'static str) -> Result<(), Refusal> {
        if !self.state.follows {
            return Ok(());
        }
        Err(Refusal::Field {
            field,
            message: "this clock follows its feed and stands at the newest moment; rehearse to go through \
                      recorded days by hand"
                .into(),
        })
    }

    /// Keeps the clock as it stands.
    pub fn note_clock(&mut self) {
        self.facts.push(clock_fact(&self.state.clock));
    }

    /// Moves the clock to `to`: everything on the way happens in its order.
    ///
    /// # Errors
    /// As [`Engine::advance_to_stop`].
    pub fn advance(&mut self, to: Moment) -> Result<(), Refusal> {
        while self.advance_to_stop(to)? {}
        Ok(())
    }

    /// Moves the clock to the next stop on the way to `to`, or to `to` itself if that comes first;
    /// whether there is more of the way. Fills, ends of orders, bells, settlements and day marks
    /// happen in their order. A way comes out the same however it is cut.
    ///
    /// # Errors
    /// The books that it makes do not hold, or they did not when they were opened.
    pub fn advance_to_stop(&mut self, to: Moment) -> Result<bool, Refusal> {
        let from = self.state.clock.now;
        if from >= to {
            return Ok(false);
        }
        self.refuse_read_only()?;
        let next_stop = stop_after(&self.state, from);
        let stop = to.min(next_stop).min(self.reach(from));
        let (mut next, mut facts) = (self.state.clone(), Vec::new());
        let mut at = from;
        while at < stop {
            // Where something is looked for, the way to the stop is gone look by look.
            let until = if looks_often(&next) {
                look_after(at).min(stop)
            } else {
                stop
            };
            let opens = until == next_stop && opens_at(until);
            self.trade_until(&mut next, (at, until), opens, &mut facts);
            listen_until(&mut next, &mut self.quoter, at, until, &mut facts);
            next.clock.now = until;
            if until < next_stop && is_look(until) {
                self.look(&mut next, false, &mut facts);
            }
            at = until;
        }
        if stop == next_stop {
            self.pass(&mut next, stop, &mut facts);
        } else if stop == to || !facts.is_empty() {
            // Between two stretches of one way nobody asks what is set aside.
            self.settle_open_orders(&mut next, &facts);
        }
        if !facts.is_empty() {
            next.version += 1;
            facts.push(clock_fact(&next.clock));
        }
        self.keep(next, facts)?;
        Ok(stop < to)
    }

    /// Everything that happens by itself at a stop, phase after phase of the session, and what follows.
    fn pass(&mut self, next: &mut State, stop: Moment, facts: &mut Vec<Fact>) {
        let phases = session::phases(stop);
        for phase in phases {
            match phase {
                Phase::ExDividend
                | Phase::Settlement
                | Phase::DailySettlement
                | Phase::EarlyAssignment => self.happen(*phase, next, stop, facts),
                Phase::FirstDraw => {
                    let span = (stop.plus_millis(-1), stop);
                    self.trade_until(next, span, false, facts);
                    next.clock.now = stop;
                }
                // The row of the day tells what all of this came to.
                Phase::Marks => {}
            }
        }
        self.settle_open_orders(next, facts);
        facts.extend(deficit_bell(next, &mut self.quoter));
        crate::bells::end_bells(next, facts);
        self.look(next, true, facts);
        if phases.contains(&Phase::Marks) {
            self.mark(next, stop, facts);
        }
    }

    /// How far one stretch of work goes: so many minutes as all that is looked at each minute, open
    /// orders and set bells, allow. Where it ends nothing happens by itself.
    fn reach(&self, from: Moment) -> Moment {
        let set = self.state.bells.iter().filter(|b| b.is_set()).count();
        let looked_at = (self.state.open.len() + set).max(1) as i64;
        from.plus_millis((AT_A_STRETCH / looked_at).max(1) * A_MINUTE)
    }

    /// The row of a close.
    fn mark(&mut self, next: &mut State, close: Moment, facts: &mut Vec<Fact>) {
        let day = crate::days::day_of(next, &mut self.quoter, &mut self.closing_looks);
        let value = day.value;
        Arc::make_mut(&mut next.days).push(day.clone());
        facts.push(Fact::Day(day));
        revert_below_least(next, value, facts);
        self.quoter.forget_before(close);
    }

    /// Lets the exchange work from one moment to another: after each order at which something
    /// happened that is booked, with what it means for other orders of the account.
    /// Where the exchange `opens` at the end of the way, its first look is left to the phases of the
    /// session.
    fn trade_until(
        &mut self,
        next: &mut State,
        (from, to): (Moment, Moment),
        opens: bool,
        facts: &mut Vec<Fact>,
    ) {
        if next.open.is_empty() {
            return;
        }
        let world = Arc::clone(&next.world);
        let mut orders = next.floor();
        let way = if opens { Round::before } else { Round::new };
        let mut round = way(&world, &orders, from, to);
        loop {
            let happened = looking(next, |looks| {
                round.next(looks, &mut self.quoter, &mut orders)
            });
            let Some(at) = happened.first().map(|h| h.at) else {
                return;
            };
            next.clock.now = at;
            next.take_over(&orders, &happened);
            let mark = facts.len();
            tell_of(next, &happened, facts);
            record(next, happened, facts);
            self.follow_through(next, &mut orders, mark, facts);
            if facts[mark..].iter().any(is_booked) {
                self.look(next, true, facts);
            }
        }
    }

    /// Lets the exchange look at an order that has just come or changed.
    pub(crate) fn arrive(&mut self, next: &mut State, id: u64, facts: &mut Vec<Fact>) {
        let (mut orders, now) = (next.floor(), next.clock.now);
        let happened = looking(next, |looks| {
            exchange::arrive(looks, &mut self.quoter, &mut orders, id, now)
        });
        next.take_over(&orders, &happened);
        let mark = facts.len();
        // The one who sent it sees what it fills at once.
        record(next, happened, facts);
        self.follow_through(next, &mut orders, mark, facts);
    }

    /// What fills and ends mean beside themselves: orders close no more than is held, orders whose
    /// turn has come are judged again, and the account is looked at.
    pub(crate) fn follow_through(
        &mut self,
        next: &mut State,
        orders: &mut [Arc<Order>],
        mark: usize,
        facts: &mut Vec<Fact>,
    ) {
        if facts[mark..].iter().any(is_booked) {
            self.close_no_more_than_held(next, orders, facts);
        }
        self.judge_activated(next, orders, mark, facts);
        let touched: Vec<u64> = facts[mark..]
            .iter()
            .filter_map(|f| match f {
                Fact::Happened(id, ..) => Some(*id),
                _ => None,
            })
            .collect();
        next.forget_ended(&touched);
        if facts[mark..].iter().any(is_booked) {
            self.reserves
                .bring_up_to_date(next, &mut self.quoter, &touched);
            facts.extend(deficit_bell(next, &mut self.quoter));
        }
    }

    /// Orders that close lose what is no longer held: it was closed by another order, assigned,
    /// exercised or settled.
    pub(crate) fn close_no_more_than_held(
        &mut self,
        next: &mut State,
        orders: &mut [Arc<Order>],
        facts: &mut Vec<Fact>,
    ) {
        // Only what closes can have too much to close.
        let closing = orders
            .iter()
            .filter(|o| o.request.purpose.campaign().is_some());
        let ids: Vec<u64> = closing.map(|o| o.id).collect();
        for id in ids {
            let Ok(order) = next.order(id) else { continue };
            if !order.state().is_open() {
                continue;
            }
            let too_many = match closable(&next.account, order) {
                Some(most) => order.remaining() - most,
                None => 0,
            };
            if too_many > 0 {
                let why = "what it closes is no longer held";
                let at = (next.clock.now, too_many);
                let happened = exchange::reduce(orders, id, at, why);
                next.take_over(orders, &happened);
                record(next, happened, facts);
                let ended = next.order(id).is_ok_and(|o| !o.state().is_open());
                let (now, says) = (next.clock.now, format!("order {id} ended: {why}"));
                if ended {
                    crate::bells::tell(&mut next.bells, Occurrence::End, now, says, facts);
                }
            }
        }
    }

    /// An order that waited for another is judged again when its turn comes; what the account no
    /// longer bears ends, and a bell says so.
    fn judge_activated(
        &mut self,
        next: &mut State,
        orders: &mut [Arc<Order>],
        mark: usize,
        facts: &mut Vec<Fact>,
    ) {
        let activated = |f: &Fact| match f {
            Fact::Happened(id, _, Event::Activated(_)) => Some(*id),
            _ => None,
        };
        let ids: Vec<u64> = facts[mark..].iter().filter_map(activated).collect();
        for id in ids {
            let Ok(order) = next.order(id).cloned() else {
                continue;
            };
            let request = desk::Request {
                pricing: order.pricing(),
                quantity: order.remaining(),
                link: desk::Link::default(),
                ..order.request.clone()
            };
            if request.quantity <= 0 || matches!(request.purpose, desk::Purpose::Close(_)) {
                continue;
            }
            let borne = bears(next, &mut self.quoter, &self.reserves, &request, Some(id));
            let Err(why) = borne else {
                continue;
            };
            let at = next.clock.now;
            let says = format!("refused when its turn came: {why}");
            let happened = exchange::end(orders, id, at, Event::Expired(says.clone()));
            next.take_over(orders, &happened);
            record(next, happened, facts);
            let told = format!("order {id}: {says}");
            crate::bells::tell(&mut next.bells, Occurrence::Refusal, at, told, facts);
        }
    }
}

/// What the exchange looks at beside the orders, as far as it is the account's.
fn looking<T>(state: &State, look: impl FnOnce(&Looks<'_>) -> T) -> T {
    look(&Looks {
        world: &state.world,
        most: &|o| closable(&state.account, o),
        displayed: &state.displayed,
        reliance: state.reliance(),
    })
}

/// Whether something was booked.
fn is_booked(fact: &Fact) -> bool {
    matches!(fact, Fact::Booked(..))
}

/// The next moment at which the account is looked at: an opening, a close, one of some hours in
/// between, or the next quote of what has ended and waits for its print.
fn stop_after(state: &State, from: Moment) -> Moment {
    let stop = hour_or_bound_after(from);
    if state.world.recordings().next().is_none() {
        return stop;
    }
    let waiting = lifecycle::waiting(&state.world, &state.account, from);
    let comes = waiting
        .iter()
        .filter_map(|symbol| state.world.comes_after(symbol, from));
    comes.fold(stop, Moment::min)
}

/// Bells for what happened to orders by itself.
fn tell_of(next: &mut State, happened: &[ExecutionReport], facts: &mut Vec<Fact>) {
    for h in happened {
        let Ok(order) = next.order(h.order).cloned() else {
            continue;
        };
        let Some(underlying) = next.world.underlying(&order.request.symbol) else {
            continue;
        };
        let style = underlying.style_of_price;
        let name = order_words(&order, underlying);
        let told = |what: &str| {
            let symbol = &order.request.symbol;
            format!("order {}: {symbol} {name} {what}", order.id)
        };
        let (what, says) = match &h.event {
            Event::Filled(f) => (
                Occurrence::Fill,
                told(&format!("filled {} at {}", f.packages, style.net(f.price))),
            ),
            // What fell away whole did as it was told to.
            Event::Expired(why) if order.wanted() > 0 => {
                (Occurrence::End, told(&format!("ended: {why}")))
            }
            _ => continue,
        };
        crate::bells::tell(&mut next.bells, what, h.at, says, facts);
    }
}

/// The account made again from the journal, and what does not agree with what was booked.
fn replayed(world: &World, saved: &Saved) -> (Account, Option<String>) {
    let mut account = Account::default();
    let mut wrong: Vec<String> = Vec::new();
    let by_id: HashMap<u64, &Order> = saved.orders.iter().map(|o| (o.id, o)).collect();
    for (row, j) in saved.journal.iter().enumerate() {
        let made = match &j.fill {
            Some(fill) => by_id.get(&fill.order).and_then(|order| {
                let underlying = world.underlying(&order.request.symbol)?;
                let campaign = order.request.purpose.campaign();
                Some(account.fill(fill, campaign, underlying, j.entry.memo.clone()))
            }),
            None => replay(&mut account, world, j),
        };
        let says = match made {
            None => Some("is about nothing that was held"),
            Some(made) if made.postings != j.entry.postings => Some("makes other amounts"),
            Some(_) => None,
        };
        wrong.extend(says.map(|s| format!("entry {} ({}) {s}", row + 1, j.entry.memo)));
    }
    for (campaign, label) in &saved.labels {
        account.describe(*campaign, label.clone());
    }
    wrong.extend(account.violations());
    let more = wrong.len().saturating_sub(3);
    let says = match (wrong.is_empty(), more) {
        (true, _) => None,
        (_, 0) => Some(wrong.join("; ")),
        _ => Some(format!("{}; and {more} more", wrong[..3].join("; "))),
    };
    (account, says)
}

/// Makes an entry again that no order made; nothing when what it is about was not held.
fn replay<'a>(account: &'a mut Account, world: &World, j: &Journalled) -> Option<&'a desk::Entry> {
    let (at, memo) = (j.entry.at, j.entry.memo.clone());
    match j.cause.as_ref() {
        None => Some(account.deposit(at, j.entry.amount(desk::Book::Cash))),
        Some(Cause::Moved { from, to, parts }) => account.transfer(at, (*from, *to), parts, memo),
        Some(Cause::Merged { from, into }) => account.merge(at, *from, *into, memo),
        Some(Cause::Market {
            instrument,
            value,
            quantity,
            only,
        }) => match (instrument, j.entry.kind) {
            (ended, EntryKind::Correction) => {
                let units = world.underlying_of(ended)?.units(ended);
                account.correct(at, (ended, units), *value, only, memo)
            }
            (Instrument::Option(c), EntryKind::Settlement) => {
                account.settle(at, c, *value, only, memo)
            }
            (Instrument::Option(c), EntryKind::Offset) => account.offset(at, c, *value, only, memo),
            (Instrument::Option(c), _) => {
                let told = (world.owner(c)?, &only[..]);
                account.deliver(at, c, *quantity, told, memo)
            }
            (Instrument::Underlying(symbol), EntryKind::Variation) => {
                account.settle_futures(at, symbol, *value, only, memo)
            }
            (Instrument::Underlying(symbol), EntryKind::Settlement) => {
                account.end_future(at, symbol, *value, only, memo)
            }
            (Instrument::Underlying(symbol), _) => account.dividend(at, symbol, *value, only, memo),
        },
    }
}

/// The clock as it was kept; of a run that has none yet, paused at its start.
fn clock_of(kept: Option<ClockState>, start: Moment) -> Clock {
    let begin = ClockState {
        now: start,
        running: false,
        speed: 1,
    };
    let c = kept.unwrap_or(begin);
    Clock {
        now: c.now,
        running: c.running,
        speed: c.speed,
    }
}

pub(crate) fn clock_fact(clock: &Clock) -> Fact {
    Fact::Clock(ClockState {
        now: clock.now,
        running: clock.running,
        speed: clock.speed,
    })
}

/// A portfolio account that is worth too little at a close is a margin account from then on, and a
/// bell says so.
fn revert_below_least(next: &mut State, value: Money, facts: &mut Vec<Fact>) {
    if next.rules.kind == AccountKind::Portfolio && value < PORTFOLIO_LEAST {
        next.rules.kind = AccountKind::Margin;
        facts.push(Fact::Setting(
            KIND.into(),
            AccountKind::Margin.word().into(),
        ));
        let says = format!(
            "worth {} at the close, below {}: margined by strategy rules from now on",
            value.grouped(),
            PORTFOLIO_LEAST.grouped()
        );
        crate::bells::tell(
            &mut next.bells,
            Occurrence::Deficit,
            next.clock.now,
            says,
            facts,
        );
    }
}
