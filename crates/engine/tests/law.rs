//! One law over an account that lives through a market: whatever is done, and wherever it is
//! stopped, the books add up to the last digit, each campaign by itself; nothing is closed beyond
//! what is held; no lot is without a campaign; what a restart finds is what was there; what is refused leaves
//! no trace; and whoever asks what a campaign stands at is told the same.
//!
//! Lives differ: every fourth account is a cash account, and beside shares, futures and an index every life
//! trades in a market from files whose quotes are crossed, missing, stale or wrong now and then.
//!
//! `cargo test` plays some thousand operations; `cargo xtask law` a million in the released build.
#![allow(clippy::unwrap_used)]

mod common;

use std::collections::BTreeMap;
use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};

use common::*;
use desk::order::Event;
use desk::rules::{Condition, MEASURES, Needs, Rule, Scope};
use desk::*;
use engine::rounds::{Given, rounds_of};
use engine::{Execution, Tie};
use engine::{seen::book_seen, sight::Sights};
use market::{DEMO_DAY, Quoter, Recorded, Seen, Sight, Step, Tape, Told, World};

/// Operations that are played where nothing else is asked for.
const OPERATIONS: usize = 10_000;
/// A run lives so long; then another begins in another world.
const A_RUN: usize = 200;
/// After so many it is told how far it is.
const PROGRESS: usize = 50_000;

/// Xorshift (Marsaglia 2003): the same stream on every machine.
struct Draws(u64);

impl Draws {
    fn next(&mut self) -> u64 {
        self.0 ^= self.0 << 13;
        self.0 ^= self.0 >> 7;
        self.0 ^= self.0 << 17;
        self.0
    }

    fn below(&mut self, n: usize) -> usize {
        (self.next() % n.max(1) as u64) as usize
    }

    fn between(&mut self, low: i64, high: i64) -> i64 {
        low + (self.next() % (high - low + 1) as u64) as i64
    }

    fn chance(&mut self, in_so_many: usize) -> bool {
        self.below(in_so_many) == 0
    }

    fn pick<T: Clone>(&mut self, from: &[T]) -> Option<T> {
        (!from.is_empty()).then(|| from[self.below(from.len())].clone())
    }
}

/// Symbols with shares, a dividend near, a future, an index, and shares from files.
const SYMBOLS: [&str; 6] = ["NMOU", "TLVN", "BRLW", "TNYBM1", "WXMR", OWN];
/// What is from files: the retailer's shares as they were seen every twenty minutes of some days.
const OWN: &str = "OWN";

/// A recording of the stand-in's own quotes, some of them spoilt.
fn spoilt(world: &World, draws: &mut Draws) -> Recorded {
    let of = world.underlying("OSKV").unwrap();
    let own = |c: &Contract| Contract {
        root: OWN.into(),
        ..c.clone()
    };
    let mut quoter = Quoter::new();
    let mut sights = BTreeMap::new();
    let mut day = DEMO_DAY;
    for _ in 0..6 {
        let times = (0..20).map(|i| desk::calendar::open_of(day).plus_millis(i * 1_200_000));
        for at in times {
            let spot = world.spot("OSKV", at).unwrap();
            let mut sight = Sight {
                // Ten times too high, seldom.
                spot: if draws.chance(60) { spot * 10 } else { spot },
                ..Sight::default()
            };
            let all = world.expirations("OSKV", at).unwrap();
            for e in all.iter().filter(|e| e.date > DEMO_DAY).take(3) {
                for (c, listed) in quoter.whole_chain(world, of, e, at) {
                    let mut quote = listed.quote;
                    match draws.below(60) {
                        0 => quote.bid = quote.ask + Price::cents(5),
                        1 => quote.ask = Price::ZERO,
                        2 => (quote.bid, quote.ask) = (quote.bid * 3, quote.ask * 3),
                        3 => continue,
                        4 => (quote.bid_size, quote.ask_size) = (None, None),
                        _ => {}
                    }
                    let seen = Seen {
                        quote,
                        last: listed.last,
                    };
                    sight.contracts.insert(own(&c), seen);
                }
            }
            sights.insert(at, sight);
        }
        day = desk::calendar::next_session(day);
    }
    let underlying = Underlying {
        symbol: OWN.into(),
        weekly_root: None,
        opening_root: None,
        ..of.clone()
    };
    Recorded::new(underlying, Told::default(), Tape::of(Vec::new(), sights))
}

struct Player {
    run: Run,
    draws: Draws,
    quoter: Quoter,
    ticket: usize,
    done: BTreeMap<&'static str, usize>,
}

impl Player {
    fn state(&self) -> &engine::State {
        self.run.engine.state()
    }

    fn campaigns(&self) -> Vec<u64> {
        let mut ids: Vec<u64> = self
            .state()
            .account
            .lots()
            .iter()
            .map(|l| l.campaign)
            .collect();
        ids.sort_unstable();
        ids.dedup();
        ids
    }

    /// A structure near the money on one of the next expirations.
    fn package(&mut self, symbol: &str) -> Option<Package> {
        let (world, at) = (self.run.world.clone(), self.state().clock.now);
        let listed = world.expirations(symbol, at)?;
        let e = listed.get(self.draws.below(3))?.clone();
        let ks = market::strikes(&world, symbol, &e, at);
        let spot = world.spot(symbol, at)?;
        let middle = ks.partition_point(|k| *k < spot);
        let kind = if self.draws.chance(2) {
            Kind::Call
        } else {
            Kind::Put
        };
        let leg = |off: i64, kind: Kind, quantity: i64| {
            let place = usize::try_from(middle as i64 + off).ok()?;
            let c = market::contract(&world, symbol, &e, kind, *ks.get(place)?)?;
            Some(Leg::option(c, quantity))
        };
        let (a, side) = (
            self.draws.between(-3, 3),
            if self.draws.chance(2) { 1 } else { -1 },
        );
        let other = match kind {
            Kind::Call => Kind::Put,
            Kind::Put => Kind::Call,
        };
        let legs = match self.draws.below(6) {
            0 => vec![leg(a, kind, side)?],
            1 => vec![leg(a, kind, side)?, leg(a + 1, kind, -side)?],
            2 => vec![leg(a, kind, side)?, leg(a + 2, kind, -2 * side)?],
            3 => vec![
                leg(-3, Kind::Put, side)?,
                leg(-1, Kind::Put, -side)?,
                leg(1, Kind::Call, -side)?,
                leg(3, Kind::Call, side)?,
            ],
            4 => vec![leg(a, kind, side)?, leg(a, other, side)?],
            _ if symbol == "WXMR" => vec![leg(a, kind, side)?],
            _ => {
                let own = Leg {
                    instrument: Instrument::Underlying(symbol.to_owned()),
                    quantity: if symbol.starts_with("TNYB") { 1 } else { 100 },
                };
                vec![own, leg(2, Kind::Call, -1)?]
            }
        };
        Package::new(legs).ok()
    }

    fn market(&mut self, symbol: &str, unit: &Package) -> Option<PackageQuote> {
        let (world, at) = (self.run.world.clone(), self.state().clock.now);
        let quote = |l: &Leg| self.quoter.quote_any(&world, &l.instrument, at);
        let quotes: Option<Vec<Quote>> = unit.legs().iter().map(quote).collect();
        Some(package_quote(unit, &quotes?, world.underlying(symbol)?))
    }

    /// A ticket somewhere between well beyond the rest and well beyond the cross.
    fn request(
        &mut self,
        symbol: &str,
        unit: Package,
        quantity: i64,
        purpose: Purpose,
    ) -> Option<Request> {
        let m = self.market(symbol, &unit)?;
        let ticks = self.run.world.underlying(symbol)?.ticks_of(&unit);
        let share = self.draws.between(-40, 140);
        let limit = m.rest + Price::from_raw((m.cross - m.rest).raw() * share / 100);
        self.ticket += 1;
        Some(Request {
            client_id: format!("law-{}", self.ticket),
            symbol: symbol.to_owned(),
            unit,
            quantity,
            pricing: if self.draws.chance(6) {
                Pricing::Market
            } else {
                Pricing::Limit(ticks.floor(limit))
            },
            trigger: None,
            link: Link::default(),
            time_in_force: match self.draws.below(4) {
                0 => TimeInForce::Day,
                1 => TimeInForce::ImmediateOrCancel,
                _ => TimeInForce::GoodTillCancelled,
            },
            purpose,
            closing: Vec::new(),
        })
    }

    fn open(&mut self) -> Option<bool> {
        let symbol = self.draws.pick(&SYMBOLS)?;
        let unit = self.package(symbol)?;
        let quantity = self.draws.between(1, 6);
        let request = self.request(symbol, unit, quantity, Purpose::Open)?;
        Some(self.run.engine.place(request).is_ok())
    }

    /// A part of a campaign, or all of it, or one of its legs.
    fn close(&mut self) -> Option<bool> {
        let ids = self.campaigns();
        let id = self.draws.pick(&ids)?;
        let held = self.state().account.holding_of(id);
        let symbol = self.state().account.campaign(id)?.symbol.clone();
        let (unit, most) = if self.draws.chance(3) {
            let one = self.draws.pick(held.legs())?;
            Package::of(&Holding::new([one])).ok()?
        } else {
            Package::of(&held).ok()?
        };
        // More than there is now and then: that must be refused, or capped when it fills.
        let more = i64::from(self.draws.chance(8));
        let quantity = self.draws.between(1, most + more);
        let request = self.request(&symbol, unit.reversed(), quantity, Purpose::Close(id))?;
        Some(self.run.engine.place(request).is_ok())
    }

    /// Half of what is held in options is bought back, and something else opened in its place.
    fn roll(&mut self) -> Option<bool> {
        let ids = self.campaigns();
        let id = self.draws.pick(&ids)?;
        let held = self.state().account.holding_of(id);
        let symbol = self.state().account.campaign(id)?.symbol.clone();
        let options: Vec<Leg> = held
            .legs()
            .iter()
            .filter(|l| l.instrument.option().is_some())
            .cloned()
            .collect();
        let back = self.draws.pick(&options)?;
        let opened = self.package(&symbol)?;
        let legs = opened.legs().iter().cloned().chain([Leg {
            quantity: -back.quantity.signum(),
            ..back.clone()
        }]);
        let unit = Package::new(legs).ok()?;
        let quantity = (back.quantity.abs() / 2).max(1);
        let request = self.request(&symbol, unit, quantity, Purpose::Roll(id))?;
        Some(self.run.engine.place(request).is_ok())
    }

    /// A bracket, or two closing orders of which one cancels the other.
    fn linked(&mut self) -> Option<bool> {
        let symbol = self.draws.pick(&SYMBOLS)?;
        let unit = self.package(symbol)?;
        let quantity = self.draws.between(1, 5);
        let mut entry = self.request(symbol, unit.clone(), quantity, Purpose::Open)?;
        entry.time_in_force = TimeInForce::GoodTillCancelled;
        let m = self.market(symbol, &unit)?;
        let off = m.tick * self.draws.between(1, 40);
        let exit = |name: &str, pricing, trigger| Request {
            client_id: format!("{}{name}", entry.client_id),
            unit: unit.reversed(),
            pricing,
            trigger,
            ..entry.clone()
        };
        let ticks = self.run.world.underlying(symbol)?.ticks_of(&unit);
        let stop = Trigger {
            side: TriggerSide::Mark,
            level: Level::At(ticks.floor(-m.middle + off)),
        };
        let all = vec![
            entry.clone(),
            exit("target", Pricing::Limit(ticks.floor(-m.middle - off)), None),
            exit("stop", Pricing::Market, Some(stop)),
        ];
        Some(self.run.engine.place_linked(all, Tie::Bracket).is_ok())
    }

    /// Something about an order that works: another limit, easing, its end, ties.
    fn change(&mut self) -> Option<bool> {
        let open = self.state().open_numbers();
        let id = self.draws.pick(&open)?;
        let order = self.state().order(id).ok()?.clone();
        let (symbol, unit) = (order.request.symbol.clone(), order.request.unit.clone());
        let m = self.market(&symbol, &unit)?;
        let e = &mut self.run.engine;
        Some(match self.draws.below(6) {
            0 => e.reprice(id, m.cross).is_ok(),
            1 => e.reprice(id, m.middle).is_ok(),
            2 => {
                let easing = Easing {
                    step: m.tick * self.draws.between(1, 4),
                    every: 10 * self.draws.between(1, 6),
                    to: m.cross + m.tick * self.draws.between(0, 9),
                };
                e.ease(id, Some(easing)).is_ok()
            }
            3 => e.resize(id, self.draws.between(1, 9)).is_ok(),
            4 => {
                let ids = [id, self.draws.pick(&open)?];
                let tie = if self.draws.chance(2) {
                    Tie::OneCancelsOther
                } else {
                    Tie::OneTriggersOther
                };
                e.tie(&ids, tie).is_ok()
            }
            _ if self.draws.chance(2) => e.untie(id).is_ok(),
            _ => e.cancel(id).is_ok(),
        })
    }

    /// Lots move to another campaign, or two become one.
    fn rearrange(&mut self) -> Option<bool> {
        let ids = self.campaigns();
        let (from, other) = (self.draws.pick(&ids)?, self.draws.pick(&ids)?);
        if self.draws.chance(4) {
            return Some(self.run.engine.merge(from, other).is_ok());
        }
        let held = self.state().account.holding_of(from);
        let leg = self.draws.pick(held.legs())?;
        let n = self.draws.between(1, leg.quantity.abs()) * leg.quantity.signum();
        let to = self.draws.chance(2).then_some(other);
        let parts = [(leg.instrument, n)];
        Some(self.run.engine.move_lots(from, to, &parts).is_ok())
    }

    /// Fills made elsewhere, at prices finer than money, some of them in the past.
    fn import(&mut self) -> Option<bool> {
        let symbol = self.draws.pick(&SYMBOLS)?;
        let unit = self.package(symbol)?;
        self.ticket += 1;
        let legs = unit.legs().iter().map(|l| FillLeg {
            instrument: l.instrument.clone(),
            quantity: l.quantity * 2,
            price: Price::from_raw(self.draws.between(1, 3_000_000_000)),
            terms: None,
        });
        let legs: Vec<FillLeg> = legs.collect();
        let back = self.draws.between(0, 40) * 3_600_000;
        let execution = |name: String, legs: Vec<FillLeg>, at: Moment| Execution {
            name,
            at,
            symbol: symbol.to_owned(),
            legs,
            fees: Money::from_raw(13_000),
        };
        let now = self.state().clock.now;
        let half = legs.iter().map(|l| FillLeg {
            quantity: -l.quantity / 2,
            price: l.price + Price::from_raw(12_345),
            ..l.clone()
        });
        let both = [
            execution(
                format!("a{}", self.ticket),
                legs.clone(),
                now.plus_millis(-back),
            ),
            execution(format!("b{}", self.ticket), half.collect(), now),
        ];
        let mut both = both.to_vec();
        // Rows of a file stand in any order.
        if self.draws.chance(2) {
            both.reverse();
        }
        let booked = self.run.engine.import_history(&both);
        Some(matches!(booked, Ok(Ok(2))))
    }

    fn time(&mut self) -> Option<bool> {
        let now = self.state().clock.now;
        let e = &mut self.run.engine;
        // Mostly minutes, now and then the rest of a day, seldom to an expiration.
        let to = match self.draws.below(40) {
            0 => e.target(Step::Open),
            1 => e.target(Step::Close),
            2 => e.target(Step::Expiration),
            3 => e.target(Step::Hour),
            _ => now.plus_millis(self.draws.between(1_000, 300_000)),
        };
        // In pieces of any length.
        let mut at = now;
        while at < to {
            let piece = self.draws.between(1, (to.millis() - at.millis()).max(1));
            at = at.plus_millis(piece.max((to.millis() - now.millis()) / 3));
            e.advance(at.min(to)).unwrap();
        }
        e.note_clock();
        Some(true)
    }

    /// What a refused command may not have changed.
    fn traces(&self) -> impl PartialEq + std::fmt::Debug + use<> {
        let s = self.state();
        let orders: Vec<(u64, usize)> = s.open_orders().map(|o| (o.id, o.events.len())).collect();
        (
            (s.account.stamp(), s.orders.len(), orders),
            (s.decisions.len(), s.my_rules.len(), s.declined.len()),
            s.reserved,
        )
    }

    fn step(&mut self) {
        let before = self.traces();
        let (what, done) = match self.draws.below(100) {
            0..=19 => ("open", self.open()),
            20..=21 => ("review", self.review()),
            22..=41 => ("close", self.close()),
            42..=51 => ("roll", self.roll()),
            52..=57 => ("bracket", self.linked()),
            58..=69 => ("change", self.change()),
            70..=74 => ("rearrange", self.rearrange()),
            75..=77 => ("import", self.import()),
            78..=79 => {
                let amount = Money::from_raw(self.draws.between(1, 9_000_000));
                ("deposit", Some(self.run.engine.deposit(amount).is_ok()))
            }
            80 => {
                let series = self.state().account.series();
                let declined = self.draws.pick(&series).map(|c| {
                    let no = !self.state().declined.contains(&c);
                    self.run.engine.decline(c, no).is_ok()
                });
                ("decline", declined)
            }
            81 => {
                self.run.keep();
                let again = self.run.again();
                assert_eq!(
                    again.state().read_only,
                    None,
                    "a restart finds the books sound"
                );
                assert_eq!(difference(&self.run.engine, &again), None, "a restart");
                self.run.engine = again;
                ("restart", Some(true))
            }
            _ => ("time", self.time()),
        };
        match done {
            Some(true) => *self.done.entry(what).or_default() += 1,
            // Beside the bell that tells of it.
            Some(false) => assert_eq!(self.traces(), before, "{what} was refused"),
            None => {}
        }
        self.run.keep();
    }

    /// Sets a rule, throws one away, or answers what asks; nobody asks twice, and what was thrown away
    /// or answered is silent.
    fn review(&mut self) -> Option<bool> {
        let rules = self.state().my_rules.clone();
        if rules.len() < 6 {
            let m = MEASURES[self.draws.below(MEASURES.len())];
            let limit = self.draws.between(0, 60);
            let rule = Rule {
                id: 0,
                scope: match self.draws.below(3) {
                    0 => Scope::Structure(Structure::Vertical),
                    1 => Scope::Symbol("NMOU".into()),
                    _ => Scope::All,
                },
                condition: Condition {
                    measure: m.measure,
                    side: m.sides[0],
                    limit: Decimal::whole(limit),
                },
                again: self.draws.chance(2).then_some(Decimal::ZERO),
                on: true,
            };
            return Some(self.run.engine.set_rule(None, rule).is_ok());
        }
        if self.draws.chance(2) {
            let id = rules[self.draws.below(6)].id;
            self.run.engine.remove_rule(id).unwrap();
            let s = self.state();
            assert!(s.standing.keys().all(|(rule, _)| *rule != id));
            assert!(
                s.bells
                    .iter()
                    .all(|b| b.rule != Some(id) || !b.unanswered())
            );
            return Some(true);
        }
        let r = rounds_of(self.state(), &mut Quoter::new());
        let mut ids: Vec<u64> = r.asks.iter().filter_map(|a| a.campaign).collect();
        ids.extend(r.quiet.iter().map(|q| q.campaign));
        let distinct: std::collections::BTreeSet<u64> = ids.iter().copied().collect();
        assert_eq!(distinct.len(), ids.len(), "{ids:?}");
        let asks = r.asks.first()?;
        let reason = &asks.reasons.first()?.reason;
        let given = Given {
            campaign: asks.campaign,
            reason: reason.key(),
            says: reason.says(),
            answer: Answer::LetBe(Until::Change),
            order: None,
            note: String::new(),
        };
        self.run.engine.decide(given).unwrap();
        let after = rounds_of(self.state(), &mut Quoter::new());
        let same = after.asks.iter().filter(|a| a.campaign == asks.campaign);
        let mut left = same.flat_map(|a| &a.reasons);
        assert!(left.all(|s| s.reason.key() != reason.key()), "{reason:?}");
        Some(true)
    }

    /// Whoever asks what a campaign stands at is told the same: lots, standing, page and rules.
    fn one_standing(&mut self, operation: usize) {
        let (s, mut sights) = (self.run.engine.state(), Sights::default());
        let needs = Needs {
            shape: true,
            ..Needs::default()
        };
        let book = book_seen(s, &mut self.quoter, &mut sights, needs, None);
        let mut ids: Vec<u64> = s.account.lots().iter().map(|l| l.campaign).collect();
        ids.dedup();
        for id in ids {
            let stands = s.account.standing(id).unwrap();
            assert_eq!(stands.held, s.account.holding_of(id), "after {operation}");
            let basis: Money = s.account.lots_of(id).map(|l| l.basis).sum();
            assert_eq!(stands.basis(), basis, "after {operation}: {stands:?}");
            assert_eq!(stands.booked(), s.account.totals(id).booked());
            assert_eq!(stands.received().money(), stands.booked() - basis);
            let symbol = stands.symbol.clone();
            let page =
                engine::money::evaluate_alone(s, &mut self.quoter, &symbol, &stands.proposal());
            let seen = book.campaigns.iter().find(|c| c.campaign == id);
            if let (Ok(page), Some(seen)) = (page, seen) {
                let shape = &page.horizon.shape;
                assert_eq!(
                    (seen.max_profit, seen.max_loss),
                    (shape.most.limited(), shape.least.limited()),
                    "after {operation}: {stands:?}"
                );
            }
        }
    }

    fn check(&mut self, operation: usize, whole: bool) {
        if whole {
            self.one_standing(operation);
        }
        let s = self.state();
        let a = &s.account;
        if whole {
            assert_eq!(a.violations(), Vec::<String>::new(), "after {operation}");
        }
        for id in s.open_numbers() {
            let order = s.order(id).unwrap();
            assert!(order.state().is_open(), "after {operation}: {order:?}");
            let p = order.progress();
            assert!(
                p.active >= 0 && p.waiting >= 0 && p.filled <= p.wanted(),
                "after {operation}: {order:?}"
            );
            // What works to close is held, leg by leg.
            for (place, leg) in order.request.unit.legs().iter().enumerate() {
                let closes = order
                    .request
                    .purpose
                    .campaign()
                    .filter(|_| order.request.closes(place));
                if let Some(campaign) = closes {
                    let held = a.held_by(campaign, &leg.instrument);
                    let asked = leg.quantity * p.active;
                    assert!(
                        asked == 0
                            || (held.signum() == -asked.signum() && held.abs() >= asked.abs()),
                        "after {operation}: {asked} of {held}: {order:?}"
                    );
                }
            }
        }
        // What is shown is what is booked: the campaigns' holdings are all there is.
        let mut held: BTreeMap<&Instrument, i64> = BTreeMap::new();
        for lot in a.lots() {
            *held.entry(&lot.instrument).or_default() += lot.quantity;
        }
        let mut shown: BTreeMap<Instrument, i64> = BTreeMap::new();
        for id in self.campaigns() {
            for leg in a.holding_of(id).legs() {
                *shown.entry(leg.instrument.clone()).or_default() += leg.quantity;
            }
        }
        for (instrument, n) in held {
            assert_eq!(
                shown.get(instrument).copied().unwrap_or(0),
                n,
                "after {operation}"
            );
        }
        let now = s.clock.now;
        // What is from files may wait for its print.
        let ended = |c: &Contract| {
            let u = s.world.owner(c).unwrap();
            u.expiry_moment(c) <= now && s.world.settled_by(c, now).is_some()
        };
        assert!(
            !a.series().iter().any(ended),
            "after {operation}: something ended is held"
        );
    }
}

/// No closing fill of any order went beyond what its campaign held before it, told from the facts
/// alone.
fn nothing_closed_beyond_what_was_held(saved: &Saved) {
    for order in &saved.orders {
        let p = order.progress();
        assert!(p.filled <= order.request.quantity.max(p.asked), "{order:?}");
        for (_, event) in &order.events {
            if let Event::Filled(f) = event {
                let sum: i128 = f.legs.iter().map(|l| i128::from(l.price.raw())).sum();
                assert!(
                    sum >= 0 && f.legs.iter().all(|l| l.price >= Price::ZERO),
                    "{f:?}"
                );
            }
        }
    }
}

/// So many operations of one account, checked after each; how often each kind was done.
fn one_life(seed: u64, played: usize, operations: usize) -> BTreeMap<&'static str, usize> {
    let mut draws = Draws(0x5eed_2031_0311 ^ (seed << 20));
    let world = World::new(seed % 7 + 1);
    let recorded = spoilt(&world, &mut draws);
    let mut player = Player {
        run: Run::on(Arc::new(world.with_recorded(vec![recorded]))),
        draws,
        quoter: Quoter::new(),
        ticket: 0,
        done: BTreeMap::new(),
    };
    let begun = player.run.engine.deposit(Money::whole(400_000));
    begun.unwrap();
    if seed.is_multiple_of(4) {
        let cash = AccountRules {
            kind: AccountKind::Cash,
            ..AccountRules::default()
        };
        let set = player
            .run
            .engine
            .set_account_rules(cash, DayTradeSwitch::Off);
        set.unwrap();
    }
    for i in 0..operations {
        player.step();
        player.check(played + i, i % 25 == 0);
    }
    player.check(played, true);
    nothing_closed_beyond_what_was_held(&player.run.saved);
    player.done
}

#[test]
fn whatever_is_done_and_wherever_it_is_stopped_the_books_hold() {
    let operations = std::env::var("PIKEBELL_OPERATIONS")
        .ok()
        .and_then(|n| n.parse().ok())
        .unwrap_or(OPERATIONS);
    // Every run begins anew from its own seed, so they go side by side.
    let next = AtomicUsize::new(0);
    let play = || {
        let mut done: BTreeMap<&'static str, usize> = BTreeMap::new();
        loop {
            let run = next.fetch_add(1, Ordering::Relaxed);
            let played = run * A_RUN;
            if played >= operations {
                return done;
            }
            if played > 0 && played.is_multiple_of(PROGRESS) {
                println!("{played} operations");
            }
            for (what, n) in one_life(run as u64 + 1, played, A_RUN.min(operations - played)) {
                *done.entry(what).or_default() += n;
            }
        }
    };
    let threads = std::thread::available_parallelism().map_or(1, usize::from);
    let mut done: BTreeMap<&'static str, usize> = BTreeMap::new();
    std::thread::scope(|scope| {
        let playing: Vec<_> = (0..threads).map(|_| scope.spawn(play)).collect();
        for one in playing {
            // What a life found wrong is told by its own panic.
            for (what, n) in one.join().unwrap() {
                *done.entry(what).or_default() += n;
            }
        }
    });
    println!("{operations} operations: {done:?}");
    // A law that does nothing proves nothing.
    for what in [
        "open",
        "close",
        "roll",
        "bracket",
        "change",
        "rearrange",
        "review",
        "import",
        "restart",
    ] {
        assert!(
            done.get(what).copied().unwrap_or(0) > operations / 400,
            "{what}: {done:?}"
        );
    }
}
