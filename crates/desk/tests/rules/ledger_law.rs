//! 40,000 random operations on an account alone: the journal, the lots, the campaigns and the
//! margin against a second account that is kept in another way. What orders, restarts and the
//! market do with it is a law of the engine's own.

use std::collections::BTreeMap;

use crate::common::*;
use desk::calendar::next_session;
use desk::*;

const OPERATIONS: usize = 40_000;

/// Xorshift (Marsaglia 2003): the same stream on every machine.
struct Draws(u64);

impl Draws {
    fn next(&mut self) -> u64 {
        self.0 ^= self.0 << 13;
        self.0 ^= self.0 >> 7;
        self.0 ^= self.0 << 17;
        self.0
    }

    fn below(&mut self, n: u64) -> u64 {
        self.next() % n
    }

    fn between(&mut self, low: i64, high: i64) -> i64 {
        low + self.below((high - low + 1) as u64) as i64
    }

    fn pick<T: Clone>(&mut self, from: &[T]) -> Option<T> {
        let n = from.len() as u64;
        (n > 0).then(|| from[self.below(n) as usize].clone())
    }
}

/// The second way: cash, fees and signed quantities, by campaign; nothing of lots or journals. Cash
/// is known to the last digit where money is exact, and to one rounding a movement otherwise.
#[derive(Default)]
struct Shadow {
    cash: f64,
    movements: usize,
    fees: Money,
    paid_in: Money,
    held: BTreeMap<(u64, Instrument), i64>,
    merged: BTreeMap<u64, u64>,
}

impl Shadow {
    fn home(&self, campaign: u64) -> u64 {
        self.merged
            .get(&campaign)
            .map_or(campaign, |into| self.home(*into))
    }

    fn hold(&mut self, campaign: u64, instrument: &Instrument, quantity: i64) {
        let key = (self.home(campaign), instrument.clone());
        let held = self.held.entry(key.clone()).or_default();
        *held += quantity;
        if *held == 0 {
            self.held.remove(&key);
        }
    }

    fn pay(&mut self, price: Price, units: i64) {
        self.cash += price.to_f64() * units as f64;
        self.movements += 1;
    }

    fn of(&self, instrument: &Instrument) -> Vec<(u64, i64)> {
        let own = self.held.iter().filter(|((_, i), _)| i == instrument);
        own.map(|((campaign, _), n)| (*campaign, *n)).collect()
    }
}

struct Law {
    draws: Draws,
    account: Account,
    shadow: Shadow,
    shares: Underlying,
    at: Moment,
    expiry: jiff::civil::Date,
    order: u64,
    begun: Vec<u64>,
}

const STRIKES: [&str; 5] = ["90", "95", "100", "105", "110"];

impl Law {
    fn option(&mut self) -> Contract {
        let strike = STRIKES[self.draws.below(5) as usize];
        let kind = if self.draws.below(2) == 0 { "C" } else { "P" };
        contract(&format!("{strike}{kind}"), self.expiry)
    }

    /// A price, one in three of them finer than a tick and than money.
    fn price(&mut self, low: i64, high: i64) -> Price {
        let cents = Price::cents(self.draws.between(low, high));
        match self.draws.below(3) {
            0 => cents + Price::from_raw(self.draws.between(0, 999_999)),
            _ => cents,
        }
    }

    /// A campaign that is there, one of the last thousand or any other.
    fn campaign(&mut self) -> Option<u64> {
        let recent = self.begun.len().saturating_sub(1_000);
        let from = if self.draws.below(4) == 0 { 0 } else { recent };
        let id = self.begun[from..].to_vec();
        self.draws.pick(&id).map(|id| self.shadow.home(id))
    }

    fn trade(&mut self) {
        self.order += 1;
        let mut legs: Vec<FillLeg> = Vec::new();
        for _ in 0..1 + self.draws.below(4) {
            let (instrument, quantity, price) = if self.draws.below(6) == 0 {
                let own = Instrument::Underlying("TEST".into());
                (
                    own,
                    self.draws.between(-150, 150),
                    self.price(8_000, 12_000),
                )
            } else {
                let c = self.option();
                (c.into(), self.draws.between(-5, 5), self.price(1, 1_500))
            };
            if quantity != 0 && !legs.iter().any(|l| l.instrument == instrument) {
                legs.push(FillLeg {
                    instrument,
                    quantity,
                    price,
                    terms: None,
                });
            }
        }
        let fees = Money::from_raw(self.draws.between(0, 99) * 100);
        // Half of them in a campaign that is there, open or long ended.
        let campaign = (self.draws.below(2) == 0)
            .then(|| self.campaign())
            .flatten();
        if campaign.is_none() {
            self.begun.push(self.order);
        }
        for l in &legs {
            self.shadow
                .pay(-l.price, l.quantity * self.shares.units(&l.instrument));
            self.shadow
                .hold(campaign.unwrap_or(self.order), &l.instrument, l.quantity);
        }
        self.shadow.fees += fees;
        let fill = Fill {
            order: self.order,
            at: self.at,
            packages: 1,
            price: Price::ZERO,
            legs,
            fees,
        };
        self.account
            .fill(&fill, campaign, &self.shares, "trade".into());
    }

    /// Trades something that is held away.
    fn close(&mut self) {
        let all: Vec<_> = self
            .shadow
            .held
            .iter()
            .map(|(k, n)| (k.clone(), *n))
            .collect();
        let Some(((campaign, instrument), held)) = self.draws.pick(&all) else {
            return;
        };
        self.order += 1;
        let leg = FillLeg {
            price: self.price(1, 9_000),
            quantity: -held,
            instrument,
            terms: None,
        };
        self.shadow.pay(
            -leg.price,
            leg.quantity * self.shares.units(&leg.instrument),
        );
        self.shadow.hold(campaign, &leg.instrument, leg.quantity);
        let fill = Fill {
            order: self.order,
            at: self.at,
            packages: 1,
            price: Price::ZERO,
            legs: vec![leg],
            fees: Money::ZERO,
        };
        self.account
            .fill(&fill, Some(campaign), &self.shares, "closed".into());
    }

    fn deliver(&mut self) {
        let c = self.option();
        let instrument: Instrument = c.clone().into();
        let sides = self.shadow.of(&instrument);
        let Some((_, side)) = self.draws.pick(&sides) else {
            return;
        };
        let there: i64 = sides
            .iter()
            .filter(|(_, n)| n.signum() == side.signum())
            .map(|(_, n)| n)
            .sum();
        let n = self.draws.between(1, there.abs()) * side.signum();
        let before: Vec<(u64, i64)> = sides
            .iter()
            .map(|(id, _)| (*id, self.account.held_by(*id, &instrument)))
            .collect();
        let told = (&self.shares, &[][..]);
        assert!(
            self.account
                .deliver(self.at, &c, n, told, "delivered".into())
                .is_some()
        );
        let per = 100 * if c.kind == Kind::Call { 1 } else { -1 };
        let own = Instrument::Underlying("TEST".into());
        for (id, held) in before {
            let gone = held - self.account.held_by(id, &instrument);
            self.shadow.hold(id, &instrument, -gone);
            self.shadow.hold(id, &own, gone * per);
        }
        self.shadow.pay(-c.strike, n * per);
    }

    fn end(&mut self, c: &Contract) {
        let (value, instrument) = (self.price(0, 900), Instrument::from(c.clone()));
        if self.draws.below(2) == 0 {
            // The opposite sides first, against each other.
            let sides = self.shadow.of(&instrument);
            let sum = |sign: i64| -> i64 {
                let some = sides.iter().filter(|(_, n)| n.signum() == sign);
                some.map(|(_, n)| n.abs()).sum()
            };
            let pairs = sum(1).min(sum(-1));
            let told = self
                .account
                .offset(self.at, c, value, &[], "offset".into())
                .is_some();
            assert_eq!(told, pairs > 0);
            for (id, _) in sides {
                let left = self.account.held_by(id, &instrument);
                self.shadow.held.remove(&(id, instrument.clone()));
                self.shadow.hold(id, &instrument, left);
            }
        }
        for (id, n) in self.shadow.of(&instrument) {
            self.shadow.pay(value, n * 100);
            self.shadow.hold(id, &instrument, -n);
        }
        self.account
            .settle(self.at, c, value, &[], "settled".into());
    }

    fn rearrange(&mut self) {
        let (Some(from), Some(other)) = (self.campaign(), self.campaign()) else {
            return;
        };
        if self.draws.below(20) == 0 {
            let done = self
                .account
                .merge(self.at, from, other, "merged".into())
                .is_some();
            assert_eq!(done, from != other);
            if done {
                let moved: Vec<_> = self
                    .shadow
                    .held
                    .keys()
                    .filter(|k| k.0 == from)
                    .cloned()
                    .collect();
                for key in moved {
                    let n = self.shadow.held.remove(&key).unwrap_or(0);
                    self.shadow.hold(other, &key.1, n);
                }
                self.shadow.merged.insert(from, other);
            }
            return;
        }
        // Into one that is there, or a new one.
        let to = if self.draws.below(3) == 0 {
            self.order += 1;
            self.order
        } else {
            other
        };
        let own: Vec<(Instrument, i64)> = self
            .shadow
            .held
            .iter()
            .filter(|((id, _), _)| *id == from)
            .map(|((_, i), n)| (i.clone(), *n))
            .collect();
        let Some((instrument, held)) = self.draws.pick(&own) else {
            return;
        };
        let n = self.draws.between(1, held.abs()) * held.signum();
        let done = self
            .account
            .transfer(
                self.at,
                (from, to),
                &[(instrument.clone(), n)],
                "moved".into(),
            )
            .is_some();
        assert_eq!(done, from != to);
        if done {
            if to == self.order {
                self.begun.push(to);
            }
            self.shadow.hold(from, &instrument, -n);
            self.shadow.hold(to, &instrument, n);
        }
    }

    fn step(&mut self) {
        self.at = self.at.plus_millis(self.draws.between(1_000, 60_000));
        match self.draws.below(100) {
            0..=39 => self.trade(),
            40..=66 => self.close(),
            67..=74 => self.deliver(),
            75..=82 => self.rearrange(),
            83..=87 => {
                let paid = self.price(1, 90);
                let own = Instrument::Underlying("TEST".into());
                for (_, n) in self.shadow.of(&own) {
                    self.shadow.pay(paid, n);
                }
                self.account
                    .dividend(self.at, "TEST", paid, &[], "dividend".into());
            }
            88..=90 => {
                let amount = Money::from_raw(self.draws.between(1, 100_000) * 100);
                self.shadow.paid_in += amount;
                self.account.deposit(self.at, amount);
            }
            91..=97 => {
                let c = self.option();
                self.end(&c);
            }
            // The whole expiration ends, and the next begins.
            _ => {
                for c in self.account.expiring(self.expiry) {
                    self.end(&c);
                }
                self.expiry = next_session(self.expiry);
            }
        }
    }

    fn check(&self, operation: usize) {
        let (a, s) = (&self.account, &self.shadow);
        assert_eq!(a.balance(Book::Fees), s.fees, "fees after {operation}");
        assert_eq!(
            -a.balance(Book::Capital),
            s.paid_in,
            "capital after {operation}"
        );
        let cash = s.cash + (s.paid_in - s.fees).to_f64();
        // Half of 1e-4 for each movement that had to be rounded.
        let allowed = 0.51e-4 * s.movements as f64 + 1e-9 * cash.abs();
        let off = (a.balance(Book::Cash).to_f64() - cash).abs();
        assert!(off <= allowed, "cash after {operation}: off by {off}");
        assert_eq!(a.violations(), Vec::<String>::new(), "after {operation}");
        let mut by_lots: BTreeMap<(u64, Instrument), i64> = BTreeMap::new();
        for lot in a.lots() {
            *by_lots
                .entry((lot.campaign, lot.instrument.clone()))
                .or_default() += lot.quantity;
        }
        assert_eq!(
            by_lots, s.held,
            "what each campaign holds after {operation}"
        );
        // The trail of each campaign ends with what it holds, and no stretch of it is empty.
        let mut by_trail: BTreeMap<(u64, Instrument), i64> = BTreeMap::new();
        for campaign in a.campaigns() {
            for s in desk::trail(campaign) {
                assert!(
                    s.quantity != 0 && s.to.is_none_or(|to| to > s.from),
                    "{s:?}"
                );
                if s.to.is_none() {
                    let before = by_trail.insert((campaign.id, s.instrument), s.quantity);
                    assert_eq!(before, None, "held twice after {operation}");
                }
            }
        }
        assert_eq!(
            by_trail, s.held,
            "what the trails end with after {operation}"
        );
        self.check_margin(operation);
    }

    /// The margin of the lots is that of the quantities, its parts add up, and together never needs
    /// more than one by one.
    fn check_margin(&self, operation: usize) {
        let mark =
            |c: &Contract| Price::cents(20 + (c.strike.raw() / Price::cents(100).raw()) % 37);
        let held = |all: &mut dyn Iterator<Item = (&Instrument, i64)>| {
            let mut out = MarginHolding::default();
            for (instrument, n) in all {
                match instrument.option() {
                    Some(c) => out.add(MarginLeg {
                        contract: c.clone(),
                        ends: self.shares.expiry_moment(c),
                        quantity: n,
                        mark: mark(c),
                    }),
                    None => out.underlying += n,
                }
            }
            out
        };
        let lots = held(
            &mut self
                .account
                .lots()
                .iter()
                .map(|l| (&l.instrument, l.quantity)),
        );
        let shadow = held(&mut self.shadow.held.iter().map(|((_, i), n)| (i, *n)));
        let carry = Carry::Dividends(Vec::new());
        let (spot, rules) = (price("100"), AccountRules::default());
        let basis = MarginBasis::of(&self.shares, spot, self.at, &carry, rules, 0.04);
        let (a, b) = (requirement(&lots, &basis), requirement(&shadow, &basis));
        assert_eq!(
            (a.total, a.collateral),
            (b.total, b.collateral),
            "margin after {operation}"
        );
        let parts: Money = a.parts.iter().map(|p| p.amount).sum();
        assert_eq!(parts, a.total, "parts after {operation}");
        let one = |option: Option<&MarginLeg>| MarginHolding {
            options: option.into_iter().cloned().collect(),
            underlying: if option.is_none() { lots.underlying } else { 0 },
        };
        let alone: Money = lots
            .options
            .iter()
            .map(Some)
            .chain([None])
            .map(|l| requirement(&one(l), &basis).total)
            .sum();
        assert!(
            a.total <= alone,
            "together {} and one by one {alone} after {operation}",
            a.total
        );
    }
}

/// Fills at prices finer than money (opening, closing, across zero, in several legs), exercises and
/// assignments, opposite sides that end against each other, settlements, dividends, deposits, lots
/// moved between campaigns and campaigns merged, in any order: every so often the journal, the
/// lots, each campaign and the margin agree with the second account.
#[test]
fn forty_thousand_operations_are_conserved_campaign_by_campaign() {
    let mut law = Law {
        draws: Draws(0x5eed_2031_0311),
        account: Account::default(),
        shadow: Shadow::default(),
        shares: underlying(),
        at: Moment::at(jiff::civil::date(2031, 3, 11), 10, 0),
        expiry: day(),
        order: 0,
        begun: Vec::new(),
    };
    for operation in 0..OPERATIONS {
        let before = law.account.entries().len();
        law.step();
        if operation % 50 == 0 {
            let violations = law.account.violations_since(before);
            assert_eq!(violations, Vec::<String>::new(), "after {operation}");
        }
        if operation % 4_000 == 0 || operation + 1 == OPERATIONS {
            law.check(operation);
        }
    }
}
