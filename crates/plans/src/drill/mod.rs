//! A drill: when to enter, what, how large, when to adjust and how, when to leave. It is data; together
//! with a market and a span it makes the same cycles every time.
//!
//! Its conditions are those of [my rules](desk::rules) on the cycle as a campaign, and a few that know
//! its legs by number ([`DrillCondition`]). [`CycleBooks`] is what a cycle trades, holds and pays;
//! the `summary` of many cycles is worked out here too. Which options are listed and what they quote is
//! somebody else's.

mod books;
mod condition;
mod summary;
mod words;

use jiff::civil::Date;
use quant::Kind;

pub use books::{CycleBooks, side_pressed};
pub use condition::{CycleSeen, DrillCondition, DrillEvent, DrillNeeds, SeenLeg};
pub use summary::{
    CycleSummed, DrillSummary, Interval, Split, bootstrap_mean, drawdown, mean, median, spread,
    summed, wilson,
};
pub use words::{condition_words, drill_words};

use desk::Underlying;
use desk::calendar::{Expiration, monthly_expiration, session_on_or_before};
use desk::{Decimal, Money, Price};

/// Minutes of the day of the first look, 09:45.
pub const FIRST_LOOK: i64 = 9 * 60 + 45;
/// Minutes of the day of the last look, 15:45.
pub const LAST_LOOK: i64 = 15 * 60 + 45;
/// Most legs of a drill.
pub const MOST_DRILL_LEGS: usize = desk::MOST_LEGS;

/// When a session is looked at.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum LookTimes {
    /// Once, at 09:45.
    Open,
    /// Once, at 15:45.
    Close,
    /// From 09:45 to 15:45, so many minutes apart.
    Every(i64),
}

/// Which expirations are meant.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum DrillKind {
    /// The third Friday, or the session before it where that is a holiday; of an index that lists them
    /// the ones that settle at the opening.
    Monthly,
    /// Any expiration that is not a monthly one.
    Weekly,
    /// Expirations of every kind.
    Any,
}

/// How often a cycle is entered.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Every {
    /// Once for each expiration.
    Expiration,
    /// As soon as no cycle is open.
    Free,
    /// So many sessions after the last entry.
    Sessions(i64),
}

/// How many packages an entry takes.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Size {
    /// So many times the quantities that are written.
    Times(i64),
    /// The most whose max loss after fees is within so many percent of the stake.
    PercentOfStake(Decimal),
}

/// Where a strike is looked for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum StrikeAt {
    /// So far from the price.
    Points(Price),
    /// So many percent from the price.
    Percent(Decimal),
    /// So many deviations of the expiration from the price: price · e^(xσ√t).
    Sigma(Decimal),
    /// Where the size of delta is so much.
    Delta(Decimal),
    /// So far from the strike of another leg, by its number from 1.
    Leg {
        /// The number of the leg, in the order of the list, from one.
        leg: usize,
        /// How far from that leg's strike, in points of price; above zero is higher.
        points: Price,
    },
}

/// What a leg is in.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum LegIn {
    /// An option, chosen by right and strike.
    Option {
        /// Whether it is a call or a put.
        kind: Kind,
        /// How its strike is chosen among those that are listed.
        strike: StrikeAt,
        /// In the first expiration of the kind at least so many days behind the cycle's; absent: in
        /// the cycle's own.
        later: Option<i64>,
    },
    /// Shares, or the future.
    Underlying,
}

/// A leg as it is written.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct DrillLeg {
    /// Contracts, shares or futures; bought above zero, sold below.
    pub quantity: i64,
    /// What it is in.
    pub what: LegIn,
}

/// When a cycle is entered, and what.
#[derive(Debug, Clone, PartialEq)]
pub struct Enter {
    /// Which kinds of expiration may be entered.
    pub kind: DrillKind,
    /// Days left at the most.
    pub days: i64,
    /// Days left at the least.
    pub least: i64,
    /// How often a cycle is begun.
    pub every: Every,
    /// All of them must hold.
    pub conditions: Vec<DrillCondition>,
    /// How many packages are entered.
    pub size: Size,
    /// The legs of one package.
    pub legs: Vec<DrillLeg>,
}

/// Which of two sides.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum PressedSide {
    /// The right whose sold strike is nearer the price.
    Pressed,
    /// The right whose sold strike is farther from the price.
    Quiet,
}

/// What an adjustment does.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Deed {
    /// Closes all: the cycle ends.
    Close,
    /// Closes all and enters the legs anew in the same expiration.
    Rebuild,
    /// Closes all and enters the legs anew in the first expiration of the kind at least so many days
    /// ahead.
    Roll(i64),
    /// Closes all options of one right.
    CloseSide(PressedSide),
}

/// A change of the legs, made when its condition holds.
#[derive(Debug, Clone, PartialEq)]
pub struct Adjust {
    /// The condition at which it is made.
    pub when: DrillCondition,
    /// What is done.
    pub deed: Deed,
    /// How often in one cycle at the most.
    pub most: Option<i64>,
}

/// When a cycle is left.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Leave {
    /// Any of them is enough.
    pub when: Vec<DrillCondition>,
    /// At the first look at which the so manieth next expiration of the kind can be entered.
    pub until_expirations: Option<i64>,
}

/// One way to trade, written down so that it can be played over years: entry, changes, exit.
#[derive(Debug, Clone, PartialEq)]
pub struct Drill {
    /// The name under which it is kept and listed.
    pub name: String,
    /// Symbol of the underlying.
    pub symbol: String,
    /// The first date on which it may enter.
    pub from: Date,
    /// The last date that is played.
    pub to: Date,
    /// When it looks.
    pub looks: Vec<LookTimes>,
    /// Part of the way from the middle (0) to the far side (1) of every leg.
    pub price: Decimal,
    /// Fees are paid.
    pub fees: bool,
    /// Money one cycle is measured against.
    pub stake: Option<Money>,
    /// When it enters, and what.
    pub enter: Enter,
    /// When it adjusts, and how; judged in this order.
    pub adjust: Vec<Adjust>,
    /// When it leaves.
    pub leave: Leave,
}

impl DrillKind {
    /// Whether an expiration is of this kind. All of a future's own dates are monthly.
    pub fn has(self, underlying: &Underlying, e: &Expiration) -> bool {
        let third_friday = monthly_expiration(e.date.year(), e.date.month()) == e.date;
        let monthly = !underlying.own_dates.is_empty()
            || third_friday && (e.am_settled || underlying.opening_root.is_none());
        match self {
            DrillKind::Monthly => monthly,
            DrillKind::Weekly => !monthly,
            DrillKind::Any => true,
        }
    }

    /// The next dates of this kind after a date, by the calendar, whether they are listed yet or not.
    pub fn after(self, underlying: &Underlying, date: Date) -> impl Iterator<Item = Date> {
        let days = std::iter::successors(Some(date), |d| d.tomorrow().ok()).skip(1);
        days.filter(move |d| self.falls_on(underlying, *d))
    }

    fn falls_on(self, u: &Underlying, day: Date) -> bool {
        let monthly = monthly_expiration(day.year(), day.month()) == day;
        if !u.own_dates.is_empty() {
            return u.own_dates.contains(&day) && self != DrillKind::Weekly;
        }
        let rule = &u.listing;
        // A market from files tells no weekdays: Fridays then.
        let friday = [jiff::civil::Weekday::Friday];
        let recorded = rule.monthlies == 0 && rule.weekly_on.is_empty();
        let on: &[jiff::civil::Weekday] = if recorded { &friday } else { rule.weekly_on };
        // A weekday that is a holiday ends on the session before it.
        let mut named = std::iter::successors(Some(day), |d| d.tomorrow().ok())
            .take(5)
            .take_while(|d| session_on_or_before(*d) == day);
        let mut weekly = named.any(|d| on.contains(&d.weekday()));
        if rule.quarter_ends && day.month() % 3 == 0 {
            weekly |= session_on_or_before(day.last_of_month()) == day;
        }
        weekly &= !monthly || u.opening_root.is_some();
        match self {
            DrillKind::Monthly => monthly,
            DrillKind::Weekly => weekly,
            DrillKind::Any => monthly || weekly,
        }
    }
}

impl Drill {
    /// Minutes of the day at which it looks, ascending.
    pub fn minutes(&self) -> Vec<i64> {
        let mut all: Vec<i64> = Vec::new();
        for times in &self.looks {
            match times {
                LookTimes::Open => all.push(FIRST_LOOK),
                LookTimes::Close => all.push(LAST_LOOK),
                LookTimes::Every(n) => {
                    let step = usize::try_from((*n).max(1)).unwrap_or(1);
                    all.extend((FIRST_LOOK..=LAST_LOOK).step_by(step));
                }
            }
        }
        all.sort_unstable();
        all.dedup();
        all
    }

    /// What has to be known of a cycle to judge all its conditions.
    pub fn needs(&self) -> DrillNeeds {
        let adjust = self.adjust.iter().map(|a| &a.when);
        let all = self
            .enter
            .conditions
            .iter()
            .chain(adjust)
            .chain(&self.leave.when);
        all.fold(DrillNeeds::default(), |sum, c| sum.and(c.needs()))
    }

    /// Conditions with the place where each is written.
    fn conditions(&self) -> impl Iterator<Item = (String, &DrillCondition)> {
        fn list<'a>(place: &str, all: &'a [DrillCondition]) -> Vec<(String, &'a DrillCondition)> {
            let numbered = all.iter().enumerate();
            numbered
                .map(|(i, c)| (format!("{place}, condition {}", i + 1), c))
                .collect()
        }
        let adjust = self.adjust.iter().enumerate();
        let adjust = adjust.map(|(i, a)| (format!("[[adjust]] {}, when", i + 1), &a.when));
        list("[enter] if", &self.enter.conditions)
            .into_iter()
            .chain(adjust)
            .chain(list("[leave] when", &self.leave.when))
    }

    /// What is wrong with it, if anything is; what it is on is looked at by whoever knows the market.
    ///
    /// # Errors
    /// What is wrong, where, and what would be right.
    pub fn check(&self) -> Result<(), String> {
        let least = |what: &str, n: i64, least: i64| {
            if n < least {
                Err(format!("{what}: {n} is too small; write {least} or more"))
            } else if n > 100_000 {
                Err(format!("{what}: {n} is too large"))
            } else {
                Ok(())
            }
        };
        if self.from > self.to {
            return Err(format!(
                "from {} lies behind to {}; write the earlier one first",
                self.from, self.to
            ));
        }
        if self.looks.is_empty() {
            return Err("looks: at least one is needed, such as \"close\"".into());
        }
        for times in &self.looks {
            if let LookTimes::Every(n) = times {
                least("looks, every N minutes", *n, 1)?;
            }
        }
        if !(Decimal::ZERO..=Decimal::whole(1)).contains(&self.price) {
            return Err(format!(
                "price {} is no part of the way; write 0 (the middle) to 1 (the far side of every leg)",
                self.price
            ));
        }
        if self.stake.is_some_and(|s| s <= Money::ZERO) {
            return Err("stake: write an amount above zero".into());
        }
        let e = &self.enter;
        least("[enter] expiration days", e.days, 0)?;
        if e.least > e.days {
            return Err(format!(
                "[enter] expiration: least {} is more than days {}",
                e.least, e.days
            ));
        }
        if let Every::Sessions(n) = e.every {
            least("[enter] every", n, 1)?;
        }
        match e.size {
            Size::Times(n) => least("[enter] size", n, 1)?,
            Size::PercentOfStake(x) if x <= Decimal::ZERO => {
                return Err("[enter] size, percent_of_stake: write a percentage above zero".into());
            }
            Size::PercentOfStake(_) => self.needs_stake("[enter] size, percent_of_stake")?,
        }
        if e.legs.is_empty() || e.legs.len() > MOST_DRILL_LEGS {
            return Err(format!(
                "[enter] legs: {} legs; write 1 to {MOST_DRILL_LEGS}",
                e.legs.len()
            ));
        }
        for (i, leg) in e.legs.iter().enumerate() {
            self.check_leg(i + 1, leg)?;
        }
        for (i, a) in self.adjust.iter().enumerate() {
            let place = |what: &str| format!("[[adjust]] {}, {what}", i + 1);
            if let Deed::Roll(days) = a.deed {
                least(&place("roll"), days, 0)?;
            }
            if let Some(n) = a.most {
                least(&place("most"), n, 1)?;
            }
        }
        if let Some(n) = self.leave.until_expirations {
            least("[leave] until_expirations", n, 1)?;
        }
        for (i, c) in self.enter.conditions.iter().enumerate() {
            let place = format!("[enter] if, condition {}", i + 1);
            c.check_before_entry()
                .map_err(|e| format!("{place}: {e}"))?;
        }
        for (place, c) in self.conditions() {
            c.check(self.enter.legs.len())
                .map_err(|e| format!("{place}: {e}"))?;
            if c.is_of_stake() {
                self.needs_stake(&format!("{place}, percent_of_stake"))?;
            }
        }
        Ok(())
    }

    fn needs_stake(&self, what: &str) -> Result<(), String> {
        match self.stake {
            Some(_) => Ok(()),
            None => Err(format!(
                "{what}: stake is missing; write the money one cycle is measured against"
            )),
        }
    }

    /// A leg whose strike hangs on another must come to one that does not hang on it.
    fn check_leg(&self, number: usize, leg: &DrillLeg) -> Result<(), String> {
        let legs = &self.enter.legs;
        if leg.quantity == 0 || leg.quantity.abs() > 100_000 {
            return Err(format!(
                "[enter] leg {number}: quantity {} is not possible; write a whole number above zero",
                leg.quantity.abs()
            ));
        }
        let (mut at, mut seen) = (number, 0);
        while let LegIn::Option {
            strike: StrikeAt::Leg { leg, .. },
            later,
            ..
        } = legs[at - 1].what
        {
            if later.is_some_and(|n| n < 0) {
                return Err(format!("[enter] leg {number}: later is below zero"));
            }
            let there = leg.checked_sub(1).and_then(|i| legs.get(i));
            match there.map(|l| l.what) {
                None => {
                    return Err(format!(
                        "[enter] leg {at}: strike hangs on leg {leg}; legs are numbered 1 to {}",
                        legs.len()
                    ));
                }
                Some(LegIn::Underlying) => {
                    return Err(format!(
                        "[enter] leg {at}: strike hangs on leg {leg}, which has none"
                    ));
                }
                Some(LegIn::Option { .. }) => at = leg,
            }
            seen += 1;
            if seen > legs.len() {
                return Err(format!(
                    "[enter] leg {number}: strike hangs on itself; let one leg stand by points, percent, \
                     sigma or delta"
                ));
            }
        }
        Ok(())
    }
}
