//! The life of one cycle: from its entry look by look to its end.

use desk::calendar::open_of;
use desk::position::{Position, PositionKind, PositionLeg};
use desk::rules::{CampaignSeen, NextDate, SeenGreeks, SoldLeg, sessions_to};
use desk::{
    Accuracy, BookGreeks, Contract, Expiration, Holding, Instrument, Leg, MarginBasis,
    MarginHolding, MarginLeg, Moment, Money, Price, Quote, Shape, Structure, Style, requirement,
};
use jiff::civil::Date;
use market::lifecycle::assigned_tonight;
use market::{Listed, Quoter};
use plans::drill::{
    CycleBooks, CycleSeen, Deed, DrillCondition, DrillEvent, DrillNeeds, SeenLeg, side_pressed,
};

use super::ground::{Built, DrillError, DrillGround};
use engine::sight::{greeks_of, to_even, to_sold};

/// Why a cycle was left.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Why {
    /// By a condition of `[leave]`, by its number.
    Leave(usize),
    /// The next expiration was due.
    Until,
    /// Every leg ended with its series.
    End,
    /// By an adjustment, by its number.
    Adjust(usize),
    /// The span was over.
    To,
}

impl std::fmt::Display for Why {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Why::Leave(n) => write!(f, "leave {n}"),
            Why::Until => write!(f, "until"),
            Why::End => write!(f, "end"),
            Why::Adjust(n) => write!(f, "adjust {n}"),
            Why::To => write!(f, "to"),
        }
    }
}

/// What happened at a look.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Action {
    /// It was entered.
    Enter,
    /// Nothing is done; the cycle goes on.
    Hold,
    /// It was adjusted, by the number of the adjustment.
    Adjust(usize),
    /// It was left.
    Leave,
    /// A leg ended with its series.
    End,
    /// Options were assigned early.
    Assigned,
}

impl std::fmt::Display for Action {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Action::Enter => write!(f, "enter"),
            Action::Hold => write!(f, "hold"),
            Action::Adjust(n) => write!(f, "adjust {n}"),
            Action::Leave => write!(f, "leave"),
            Action::End => write!(f, "end"),
            Action::Assigned => write!(f, "assigned"),
        }
    }
}

/// A look of a cycle, or what happened to it between two.
#[derive(Debug, Clone, PartialEq)]
pub struct LookRow {
    /// The moment of the look.
    pub at: Moment,
    /// Price of the underlying.
    pub underlying: Price,
    /// What was done at the look, or happened by itself.
    pub action: Action,
    /// What is held afterwards; where it ends, what was held before.
    pub legs: Holding,
    /// Prices of the trades of this look, in their order.
    pub prices: Vec<Price>,
    /// Profit afterwards; nothing where something has no market.
    pub profit: Option<Money>,
}

/// A cycle that was lived through.
#[derive(Debug, Clone, PartialEq)]
pub struct CycleDone {
    /// Its expiration at the entry.
    pub expiration: Date,
    /// When it was entered.
    pub entered: Moment,
    /// When it was left.
    pub left: Moment,
    /// Why the cycle was left.
    pub why: Why,
    /// How often it was adjusted.
    pub adjustments: i64,
    /// Profit before fees.
    pub net: Money,
    /// Commissions of the cycle, zero or above.
    pub fees: Money,
    /// Best profit after the trades of a look.
    pub best: Money,
    /// The lowest profit at any of its looks, in money.
    pub worst: Money,
    /// Highest requirement by strategy rules after the trades of a look.
    pub most_margin: Money,
    /// What was entered.
    pub legs: Holding,
    /// Price of a package at the entry.
    pub price: Price,
    /// Rank of volatility at the entry, where it is known.
    pub rank: Option<f64>,
    /// Price of the underlying at the entry and where it was left.
    pub underlying: (Price, Price),
    /// Its looks in order of time, where they were asked for.
    pub looks: Vec<LookRow>,
}

impl CycleDone {
    /// Profit after fees.
    pub fn profit(&self) -> Money {
        self.net - self.fees
    }

    /// Calendar days from its entry to its end.
    pub fn days(&self) -> i64 {
        self.entered.days_until(self.left.date())
    }
}

/// A cycle at its entry.
pub(super) struct Entry {
    /// The look at which it is entered, by its place.
    pub look: usize,
    pub expiration: Expiration,
    pub legs: Built,
    pub size: i64,
}

/// A cycle as it lives.
pub(super) struct Life<'a, 'g> {
    ground: &'g DrillGround<'a>,
    needs: DrillNeeds,
    entered: Moment,
    size: i64,
    /// Its expiration at the entry; and that of what is held.
    first: Expiration,
    now: Expiration,
    books: CycleBooks,
    /// By the numbers of the legs.
    legs: Vec<Option<Contract>>,
    /// Units beyond those held that came by assignment, to be traded back at the next look.
    came: i64,
    /// Something was assigned since the last look.
    assigned: bool,
    /// Why it is to be left as soon as somebody trades in what it holds.
    leaving: Option<Why>,
    uses: Vec<i64>,
    adjustments: i64,
    best: Money,
    worst: Money,
    most_margin: Money,
    structure: Structure,
    vol_entry: Option<f64>,
    prices: Vec<Price>,
    rows: Vec<LookRow>,
}

/// What is held, with its markets in its order.
struct Marked {
    markets: Vec<Listed>,
    marks: Vec<Price>,
}

impl<'a, 'g> Life<'a, 'g> {
    /// Enters; nothing where a leg has no market.
    pub fn enter(ground: &'g DrillGround<'a>, quoter: &mut Quoter, entry: &Entry) -> Option<Self> {
        let at = ground.looks[entry.look];
        let mut life = Life::new(ground, at, entry.expiration.clone(), entry.size);
        life.open(quoter, &entry.legs, at)?;
        life.books.entered(ground.underlying, ground.spot(at));
        let profit = life.profit(quoter, at)?;
        (life.best, life.worst) = (profit, profit);
        life.vol_entry = life.vol(at);
        life.record(quoter, at, Action::Enter);
        Some(life)
    }

    fn new(ground: &'g DrillGround<'a>, at: Moment, expiration: Expiration, size: i64) -> Self {
        Life {
            ground,
            needs: ground.drill.needs(),
            entered: at,
            size,
            first: expiration.clone(),
            now: expiration,
            books: CycleBooks::default(),
            legs: Vec::new(),
            came: 0,
            assigned: false,
            leaving: None,
            uses: vec![0; ground.drill.adjust.len()],
            adjustments: 0,
            best: Money::ZERO,
            worst: Money::ZERO,
            most_margin: Money::ZERO,
            structure: Structure::Other,
            vol_entry: None,
            prices: Vec::new(),
            rows: Vec::new(),
        }
    }

    /// Goes on with what was entered elsewhere: its legs have no numbers.
    pub fn going_on(
        ground: &'g DrillGround<'a>,
        quoter: &mut Quoter,
        expiration: Expiration,
        books: CycleBooks,
    ) -> Self {
        let at = ground.looks[0];
        let mut life = Life::new(ground, at, expiration, 1);
        life.structure = Structure::of(&books.held, ground.underlying);
        life.books = books;
        life.vol_entry = life.vol(at);
        let profit = life.profit(quoter, at).unwrap_or_default();
        (life.best, life.worst) = (profit, profit);
        life.record(quoter, at, Action::Enter);
        life
    }

    /// The most it can lose as it was entered, above zero; nothing without a limit.
    pub fn most_to_lose(&self) -> Option<Money> {
        let (_, worst) = self.limits(None, self.entered);
        worst.map(|w| -w)
    }

    fn open(&mut self, quoter: &mut Quoter, legs: &Built, at: Moment) -> Option<()> {
        let holding = Holding::new(legs.iter().map(|(instrument, quantity)| Leg {
            instrument: instrument.clone(),
            quantity: *quantity,
        }));
        self.trade(quoter, &holding, at)?;
        self.legs = legs.iter().map(|(i, _)| i.option().cloned()).collect();
        Some(())
    }

    /// Buys legs at a look; nothing, and nothing done, where one has no market.
    fn trade(&mut self, quoter: &mut Quoter, legs: &Holding, at: Moment) -> Option<()> {
        if legs.is_empty() {
            return Some(());
        }
        let g = self.ground;
        let markets = legs
            .legs()
            .iter()
            .map(|l| g.tradable(quoter, &l.instrument, at))
            .collect::<Option<Vec<Quote>>>()?;
        let price = self
            .books
            .trade(g.underlying, legs, &markets, (g.drill.price, &g.fees));
        self.prices.push(price);
        self.structure = Structure::of(&self.books.held, g.underlying);
        Some(())
    }

    /// Legs that are held no more.
    fn forget(&mut self, gone: impl Fn(&Contract) -> bool) {
        for leg in &mut self.legs {
            if leg.as_ref().is_some_and(&gone) {
                *leg = None;
            }
        }
    }

    fn close(&mut self, quoter: &mut Quoter, at: Moment) -> Option<()> {
        let all = self.books.held.reversed();
        self.trade(quoter, &all, at)?;
        self.legs.iter_mut().for_each(|l| *l = None);
        Some(())
    }

    fn marked(&self, quoter: &mut Quoter, at: Moment) -> Option<Marked> {
        let held = self.books.held.legs().iter();
        let markets = held
            .map(|l| self.ground.market(quoter, &l.instrument, at))
            .collect::<Option<Vec<Listed>>>()?;
        Some(Marked {
            marks: markets.iter().map(|l| l.quote.mid()).collect(),
            markets,
        })
    }

    fn profit(&self, quoter: &mut Quoter, at: Moment) -> Option<Money> {
        let marked = self.marked(quoter, at)?;
        Some(self.books.profit(self.ground.underlying, &marked.marks))
    }

    /// Volatility of the cycle's expiration at the forward.
    fn vol(&self, at: Moment) -> Option<f64> {
        if self.now.moment() <= at {
            return None;
        }
        let seen = self.ground.seen(at);
        seen.at_the_money(&self.now, &seen.carried(&self.now)?)
    }

    /// Keeps what a look came to.
    fn record(&mut self, quoter: &mut Quoter, at: Moment, action: Action) {
        let marked = self.marked(quoter, at);
        let profit = marked
            .as_ref()
            .map(|m| self.books.profit(self.ground.underlying, &m.marks));
        if let Some(profit) = profit {
            self.best = self.best.max(profit);
            self.worst = self.worst.min(profit);
        }
        if let Some(marked) = &marked {
            self.most_margin = self.most_margin.max(self.margin(marked, at));
        }
        let legs = self.books.held.clone();
        self.push(at, action, legs, profit);
    }

    fn push(&mut self, at: Moment, action: Action, legs: Holding, profit: Option<Money>) {
        let row = LookRow {
            at,
            underlying: self.ground.spot(at),
            action,
            legs,
            prices: std::mem::take(&mut self.prices),
            profit,
        };
        self.rows.push(row);
    }

    fn margin(&self, marked: &Marked, at: Moment) -> Money {
        let g = self.ground;
        let u = g.underlying;
        let mut held = MarginHolding::default();
        for (leg, mark) in self.books.held.legs().iter().zip(&marked.marks) {
            match leg.instrument.option() {
                Some(c) => held.add(MarginLeg {
                    contract: c.clone(),
                    ends: u.expiry_moment(c),
                    quantity: leg.quantity,
                    mark: *mark,
                }),
                None => held.underlying += leg.quantity,
            }
        }
        if held.options.iter().all(|l| l.quantity > 0) && held.underlying == 0 {
            return Money::ZERO;
        }
        requirement(
            &held,
            &MarginBasis::by_strategy(u, g.spot(at), at, (0.0, 0.0)),
        )
        .total
    }

    /// The most the whole cycle can make and lose at the first expiration of what is held; nothing
    /// where it has no limit or cannot be worked out. Of what ends together exactly, otherwise as in
    /// `calc campaign`: European, each later option by its own volatility.
    fn limits(&self, marked: Option<&Marked>, at: Moment) -> (Option<Money>, Option<Money>) {
        let (g, held) = (self.ground, &self.books.held);
        let u = g.underlying;
        let received = self.books.received();
        if held.is_empty() {
            return (None, None);
        }
        if held.is_one_expiration() {
            let shape = Shape::of(held, u, received);
            return (shape.most.limited(), shape.least.limited());
        }
        let mut own = Quoter::new();
        let found;
        let marked = match marked {
            Some(m) => m,
            None => {
                let Some(m) = self.marked(&mut own, at) else {
                    return (None, None);
                };
                found = m;
                &found
            }
        };
        self.modelled(marked, at, received.money())
            .unwrap_or((None, None))
    }

    fn modelled(
        &self,
        marked: &Marked,
        at: Moment,
        cash: Money,
    ) -> Option<(Option<Money>, Option<Money>)> {
        let g = self.ground;
        let (u, spot) = (g.underlying, g.spot(at).to_f64());
        let ends = |c: &Contract| u.expiry_moment(c);
        let held = &self.books.held;
        let first = held.options().map(|(c, _)| ends(c)).min()?;
        let carried = g.seen(at).carried_to(first, spot)?;
        let mut vol = 0.0;
        let mut legs = Vec::new();
        for (leg, listed) in held.legs().iter().zip(&marked.markets) {
            let instrument = match leg.instrument.option() {
                None => PositionKind::Stock,
                Some(c) => {
                    // What ends at the first expiration needs no volatility.
                    let own = match listed.implied {
                        Some(vol) => vol,
                        None if ends(c) == first => 0.01,
                        None => return None,
                    };
                    vol = own;
                    PositionKind::Option {
                        kind: c.kind,
                        style: Style::European,
                        strike: c.strike.to_f64(),
                        time: at.years_until(ends(c)),
                        vol: own,
                    }
                }
            };
            legs.push(PositionLeg {
                instrument,
                quantity: leg.quantity as f64,
                multiplier: u.units(&leg.instrument) as f64,
                entry: 0.0,
            });
        }
        let position = Position {
            spot,
            rate: carried.rate,
            carry_yield: carried.paid,
            legs,
        };
        let horizon = position.horizon(vol, cash.to_f64(), Accuracy::Reference);
        let outline = horizon.ok()??.outline;
        let limited = |e: &desk::Extreme| match e {
            desk::Extreme::At { profit, .. } => Some(Money::nearest(*profit)),
            desk::Extreme::Unlimited => None,
        };
        Some((limited(&outline.most), limited(&outline.least)))
    }

    /// What ended or happened after a look and before the next, in its order.
    fn between(&mut self, quoter: &mut Quoter, after: Moment, to: Moment) -> Option<Moment> {
        let (g, u) = (self.ground, self.ground.underlying);
        for at in g.stops(after, to) {
            if at == open_of(at.date()) && self.books.held.underlying_quantity() != 0 {
                let paid = g.carry.dividends(at.plus_millis(-1), at);
                paid.for_each(|(_, cash)| self.books.dividend(cash));
            }
            let before = self.books.held.clone();
            let ended: Vec<Contract> = before
                .options()
                .map(|(c, _)| c)
                .filter(|c| u.expiry_moment(c) <= at)
                .cloned()
                .collect();
            if !ended.is_empty() {
                let print = g.spot(at);
                for c in &ended {
                    // A past without a quote on that day has the last one before it.
                    let settled = g.world.settled_by(c, at).map_or(print, |p| p.price);
                    self.books.settle(u, c, settled);
                    self.forget(|l| l == c);
                }
                let over = self.books.held.is_underlying_alone() && self.came == 0;
                if over {
                    self.books.settle_underlying(u, print);
                }
                self.structure = Structure::of(&self.books.held, u);
                let legs = if over {
                    before
                } else {
                    self.books.held.clone()
                };
                let profit = self.profit(quoter, at);
                if let Some(profit) = profit {
                    self.best = self.best.max(profit);
                    self.worst = self.worst.min(profit);
                }
                self.push(at, Action::End, legs, profit);
                if over {
                    return Some(at);
                }
            }
            if at != open_of(at.date()) {
                self.assign(quoter, at);
                // Shares held covered all that was assigned, and nothing else is left.
                if self.books.held.is_empty() {
                    return Some(at);
                }
            }
        }
        None
    }

    /// Early assignment of what is sold, drawn as for every account.
    fn assign(&mut self, quoter: &mut Quoter, at: Moment) {
        let g = self.ground;
        let sold: Vec<(Contract, i64)> = self
            .books
            .held
            .options()
            .filter(|(_, n)| *n < 0)
            .map(|(c, n)| (c.clone(), -n))
            .collect();
        for (contract, count) in sold {
            let count = assigned_tonight(g.world, quoter, &contract, count, at);
            if count == 0 {
                continue;
            }
            let own = self.books.held.underlying_quantity() - self.came;
            self.came += self.books.assign(g.underlying, &contract, count);
            // What is held already is delivered or covered; only the rest is to be traded back.
            let covered = own.abs().min(self.came.abs());
            if own.signum() * self.came.signum() < 0 {
                self.came -= self.came.signum() * covered;
            }
            self.assigned = true;
            let left = self.books.held.options().any(|(c, _)| *c == contract);
            if !left {
                self.forget(|l| *l == contract);
            }
            self.structure = Structure::of(&self.books.held, g.underlying);
            let profit = self.profit(quoter, at);
            let legs = self.books.held.clone();
            if let (Some(profit), true) = (profit, legs.is_empty()) {
                self.best = self.best.max(profit);
                self.worst = self.worst.min(profit);
            }
            self.push(at, Action::Assigned, legs, profit);
        }
    }

    /// Lives from the look after its entry to its end.
    ///
    /// # Errors
    /// What must be closed has no market, or it was stopped.
    pub fn live(
        mut self,
        quoter: &mut Quoter,
        look: usize,
        stopped: &(dyn Fn() -> bool + Sync),
    ) -> Result<CycleDone, DrillError> {
        let looks = &self.ground.looks;
        let until = self.until();
        for next in look + 1..looks.len() {
            if stopped() {
                return Err(DrillError::Stopped);
            }
            let at = looks[next];
            if let Some(end) = self.between(quoter, looks[next - 1], at) {
                return Ok(self.done(end, Why::End));
            }
            if self.assigned {
                let own = Leg {
                    instrument: Instrument::Underlying(self.ground.drill.symbol.clone()),
                    quantity: -self.came,
                };
                if self.came == 0 || self.trade(quoter, &Holding::new([own]), at).is_some() {
                    self.came = 0;
                    self.assigned = false;
                }
                if self.books.held.is_underlying_alone() && self.options_written() {
                    let before = self.books.held.clone();
                    self.must_close(quoter, at)?;
                    let profit = Some(self.books.cash - self.books.fees);
                    self.push(at, Action::End, before, profit);
                    return Ok(self.done(at, Why::End));
                }
            }
            let last = next + 1 == looks.len();
            let why = match self.marked(quoter, at) {
                None if last => {
                    self.must_close(quoter, at)?;
                    Some(Why::To)
                }
                // What has no market is not judged.
                None => None,
                Some(marked) => self.leaves(quoter, &marked, at, until, last),
            };
            if let Some(why) = self.leaving.or(why) {
                let before = self.books.held.clone();
                if self.close(quoter, at).is_some() {
                    self.leave_row(at, Action::Leave, before);
                    return Ok(self.done(at, why));
                }
                if last {
                    return Err(self.no_market(quoter, at));
                }
                // What nobody trades in now is left at the first look at which somebody does.
                self.leaving = Some(why);
                self.record(quoter, at, Action::Hold);
                continue;
            }
            let mut action = Action::Hold;
            for i in 0..self.ground.drill.adjust.len() {
                let before = self.books.held.clone();
                let Some(stays) = self.adjust(quoter, i, at) else {
                    continue;
                };
                action = Action::Adjust(i + 1);
                if !stays {
                    self.leave_row(at, action, before);
                    return Ok(self.done(at, Why::Adjust(i + 1)));
                }
            }
            self.record(quoter, at, action);
        }
        // The last look closes; with none behind the entry there is nothing to live through.
        Err(DrillError::NoMarket {
            what: self.ground.drill.symbol.clone(),
            at: self.entered,
        })
    }

    fn options_written(&self) -> bool {
        let legs = &self.ground.drill.enter.legs;
        legs.iter()
            .any(|l| matches!(l.what, plans::drill::LegIn::Option { .. }))
    }

    fn must_close(&mut self, quoter: &mut Quoter, at: Moment) -> Result<(), DrillError> {
        match self.close(quoter, at) {
            Some(()) => Ok(()),
            None => Err(self.no_market(quoter, at)),
        }
    }

    /// What it holds and cannot close at a look.
    fn no_market(&self, quoter: &mut Quoter, at: Moment) -> DrillError {
        let held = self.books.held.legs().iter();
        let mut without = held.filter(|l| {
            let tradable = self.ground.tradable(quoter, &l.instrument, at);
            tradable.is_none()
        });
        DrillError::NoMarket {
            what: without
                .next()
                .map_or_else(String::new, |l| l.instrument.label()),
            at,
        }
    }

    fn leave_row(&mut self, at: Moment, action: Action, before: Holding) {
        let profit = self.books.cash - self.books.fees;
        self.best = self.best.max(profit);
        self.worst = self.worst.min(profit);
        self.push(at, action, before, Some(profit));
    }

    /// The date whose nearness ends it.
    fn until(&self) -> Option<Date> {
        let n = self.ground.drill.leave.until_expirations?;
        let kind = self.ground.drill.enter.kind;
        let n = usize::try_from(n - 1).ok()?;
        kind.after(self.ground.underlying, self.first.date).nth(n)
    }

    fn leaves(
        &self,
        quoter: &mut Quoter,
        marked: &Marked,
        at: Moment,
        until: Option<Date>,
        last: bool,
    ) -> Option<Why> {
        let drill = self.ground.drill;
        let all = &drill.leave.when;
        let found = self.holding(quoter, marked, at, all);
        if let Some(i) = found {
            return Some(Why::Leave(i + 1));
        }
        if until.is_some_and(|date| at.days_until(date) <= drill.enter.days) {
            return Some(Why::Until);
        }
        last.then_some(Why::To)
    }

    /// The first of some conditions that holds.
    fn holding(
        &self,
        quoter: &mut Quoter,
        marked: &Marked,
        at: Moment,
        conditions: &[DrillCondition],
    ) -> Option<usize> {
        if conditions.is_empty() {
            return None;
        }
        let legs = self.seen_legs(marked);
        let seen = CycleSeen {
            campaign: self.campaign(quoter, marked, at),
            at,
            legs: &legs,
            events: self.ground.events(at),
        };
        conditions.iter().position(|c| c.holds(&seen))
    }

    fn seen_legs(&self, marked: &Marked) -> Vec<Option<SeenLeg>> {
        let held = self.books.held.legs();
        let one = |c: &Option<Contract>| {
            let c = c.as_ref()?;
            let place = held.iter().position(|l| l.instrument.option() == Some(c));
            Some(SeenLeg {
                strike: Some(c.strike),
                delta: place.map(|i| marked.markets[i].delta),
            })
        };
        self.legs.iter().map(one).collect()
    }

    fn campaign(&self, quoter: &mut Quoter, marked: &Marked, at: Moment) -> CampaignSeen {
        let g = self.ground;
        let (u, needs, held) = (g.underlying, self.needs.campaign, &self.books.held);
        let spot = g.spot(at);
        let vol = needs.vol.then(|| self.vol(at)).flatten();
        let years = at.years_until(self.now.moment()).max(0.0);
        let deviation = vol.map_or(0.0, |v| v * years.sqrt());
        let (most, least) = if needs.shape {
            self.limits(Some(marked), at)
        } else {
            (None, None)
        };
        let evens = needs.shape && needs.vol && held.is_one_expiration();
        let sold = held.options().zip(&marked.markets);
        let sold = sold.filter(|((_, n), _)| *n < 0).map(|((c, _), l)| {
            let price = l.quote.mark();
            SoldLeg {
                price,
                time_value: (price - c.exercise_value(spot)).max(Price::ZERO),
                delta: l.delta,
            }
        });
        let greeks = if needs.greeks {
            greeks_of((g.world, at), quoter, held, u).map(|greeks| {
                let index = g.world.spot(g.world.index(), at).map_or(1.0, Price::to_f64);
                let mut book = BookGreeks::default();
                book.add(&greeks, g.world.beta(&u.symbol, at), spot.to_f64(), index);
                SeenGreeks {
                    lean: book.lean,
                    delta: greeks.delta,
                    theta: greeks.theta,
                    vega: greeks.vega,
                }
            })
        } else {
            None
        };
        let first = held.options().map(|(c, _)| c.expiry).min();
        let today = at.date();
        let next = |kinds: &[DrillEvent]| {
            let ahead = g.events(at).iter().filter(|_| needs.events);
            let mut ahead = ahead.filter(|(k, date)| kinds.contains(k) && *date >= today);
            let (_, date) = *ahead.next()?;
            Some(NextDate {
                date,
                sessions: sessions_to(today, date),
            })
        };
        CampaignSeen {
            campaign: 0,
            symbol: u.symbol.clone(),
            structure: self.structure,
            opened: self.entered,
            expiry: Some(first.unwrap_or(self.now.date)),
            profit: Some(self.books.profit(u, &marked.marks)),
            entry: self.books.entry,
            max_profit: most,
            max_loss: least,
            account: g.drill.stake,
            spot,
            to_sold: to_sold(held, spot.to_f64(), deviation),
            to_even: if evens {
                let shape = Shape::of(held, u, self.books.received());
                to_even(&shape, spot.to_f64(), deviation)
            } else {
                None
            },
            sold: sold.collect(),
            earnings: next(&[DrillEvent::Earnings, DrillEvent::Decision]),
            ex_date: next(&[DrillEvent::ExDividend]),
            vol,
            vol_entry: self.vol_entry,
            rank: needs.rank.then(|| g.rank(at)).flatten(),
            greeks,
        }
    }

    /// One adjustment, if it is due: whether the cycle goes on; nothing where it is not due.
    fn adjust(&mut self, quoter: &mut Quoter, i: usize, at: Moment) -> Option<bool> {
        let g = self.ground;
        let rule = &g.drill.adjust[i];
        if rule.most.is_some_and(|most| self.uses[i] >= most) {
            return None;
        }
        let marked = self.marked(quoter, at)?;
        self.holding(quoter, &marked, at, std::slice::from_ref(&rule.when))?;
        let side = match rule.deed {
            Deed::CloseSide(which) => Some(side_pressed(&self.books.held, g.spot(at), which)?),
            _ => None,
        };
        self.uses[i] += 1;
        self.adjustments += 1;
        let anew = match rule.deed {
            Deed::CloseSide(_) => {
                let of_side = |l: &&Leg| l.instrument.option().map(|c| c.kind) == side;
                let held = self.books.held.legs().iter();
                let closed: Holding = held.filter(of_side).cloned().collect();
                self.trade(quoter, &closed.reversed(), at)?;
                self.forget(|l| Some(l.kind) == side);
                return Some(!self.books.held.is_empty());
            }
            Deed::Close => None,
            Deed::Rebuild => Some(self.now.clone()),
            Deed::Roll(days) => {
                let far = |e: &Expiration| at.days_until(e.date) >= days;
                g.expirations(at).into_iter().find(far)
            }
        };
        self.close(quoter, at)?;
        let built = anew.and_then(|e| Some((g.build(quoter, &e, at, self.size)?, e)));
        let Some((legs, e)) = built else {
            return Some(false);
        };
        if self.open(quoter, &legs, at).is_none() {
            return Some(false);
        }
        self.now = e;
        Some(true)
    }

    fn done(self, left: Moment, why: Why) -> CycleDone {
        let first = self.rows.first();
        CycleDone {
            expiration: self.first.date,
            entered: self.entered,
            left,
            why,
            adjustments: self.adjustments,
            net: self.books.cash,
            fees: self.books.fees,
            best: self.best,
            worst: self.worst,
            most_margin: self.most_margin,
            legs: first.map(|r| r.legs.clone()).unwrap_or_default(),
            price: first
                .and_then(|r| r.prices.first().copied())
                .unwrap_or_default(),
            rank: None,
            underlying: (self.ground.spot(self.entered), self.ground.spot(left)),
            looks: self.rows,
        }
    }
}
