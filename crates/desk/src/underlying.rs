//! Underlyings: everything about a contract that its symbol does not say.

use jiff::civil::Date;
use quant::{PricedOn, Style};

use crate::calendar::{Cycle, Expiration, Hours, ListingRule, OwnSession, hours_of};
use crate::contract::Contract;
use crate::holding::Holding;
use crate::instrument::Instrument;
use crate::number::{Money, Price};
use crate::price_style::PriceStyle;
use crate::time::Moment;

/// What options are on.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum UnderlyingKind {
    /// Shares of a company or a fund: paid in full when bought.
    Shares,
    /// A number; it cannot be bought.
    Index,
    /// One delivery month of a future: nothing is paid, gains and losses are settled every day.
    Future,
}

impl UnderlyingKind {
    /// What one of it is called; an index is told of as if it were shares.
    pub fn unit(self) -> &'static str {
        match self {
            UnderlyingKind::Shares | UnderlyingKind::Index => "share",
            UnderlyingKind::Future => "future",
        }
    }

    /// So many of it in words, whatever their sign.
    ///
    /// ```
    /// use desk::UnderlyingKind::{Future, Shares};
    ///
    /// assert_eq!(Shares.counted(-100), "100 shares");
    /// assert_eq!(Future.counted(1), "1 future");
    /// ```
    pub fn counted(self, count: i64) -> String {
        let many = if count.abs() == 1 { "" } else { "s" };
        format!("{} {}{many}", count.abs(), self.unit())
    }
}

/// How an exercised contract is settled.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Settlement {
    /// Intrinsic value in cash.
    Cash,
    /// The underlying changes hands at the strike.
    Delivery,
}

/// What a trade costs beside its price.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Fees {
    /// Per option contract.
    pub option: Money,
    /// Per future. Shares cost nothing.
    pub future: Money,
}

/// Parameters by which a product is scanned; all of it is data.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct ScanRates {
    /// Move of the price, as a fraction of it.
    pub price_scan: f64,
    /// Move of volatility, as a fraction.
    pub vol_scan: f64,
    /// Price scans of the two extreme moves.
    pub extreme_multiple: f64,
    /// Part of their loss that counts.
    pub extreme_cover: f64,
    /// Exposure of a short option contract, of the value of what it stands for.
    pub exposure_rate: f64,
    /// Least risk of a short option contract, in money.
    pub short_option_minimum: f64,
}

/// Which margin rules apply to what is held in an underlying.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum MarginClass {
    /// Shares and narrow funds: 20 % / 10 % uncovered; portfolio rules look 15 % either way.
    Equity,
    /// A broad index of smaller companies, and funds on it: 15 % / 10 %; 10 % either way.
    BroadIndex,
    /// A broad index of the largest companies, and funds on it: 15 % / 10 %; 8 % down and 6 % up.
    LargeIndex,
    /// Scanned over sixteen scenarios, with exposure, whatever the account.
    Scan(ScanRates),
}

/// Price steps: from each lower bound (inclusive) upward, the tick in force. Ascending, first at 0.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct TickTable(Vec<(Price, Price)>);

impl TickTable {
    /// One tick at every price.
    pub fn single(tick: Price) -> TickTable {
        TickTable(vec![(Price::ZERO, tick)])
    }

    /// One tick below `bound`, another from it on.
    pub fn split(below: Price, bound: Price, above: Price) -> TickTable {
        TickTable(vec![(Price::ZERO, below), (bound, above)])
    }

    /// The lower bounds and the ticks from each on, ascending.
    pub fn steps(&self) -> &[(Price, Price)] {
        &self.0
    }

    /// The tick in force at a price; a negative price (a credit) steps like its magnitude.
    pub fn tick_at(&self, price: Price) -> Price {
        let at = price.abs();
        self.0
            .iter()
            .rev()
            .find(|(bound, _)| *bound <= at)
            .map_or(self.0[0].1, |(_, tick)| *tick)
    }

    /// Whether the price can be quoted. A bound is legal in both regimes.
    pub fn allows(&self, price: Price) -> bool {
        price.raw() % self.tick_at(price).raw() == 0
    }

    /// The highest allowed price at or below `price`.
    pub fn floor(&self, price: Price) -> Price {
        let tick = self.tick_at(price).raw();
        Price::from_raw(price.raw().div_euclid(tick) * tick)
    }

    /// The lowest allowed price at or above `price`.
    pub fn ceil(&self, price: Price) -> Price {
        let up = -self.floor(-price);
        // Rounding up may cross into the coarser regime.
        if self.allows(up) {
            up
        } else {
            -self.floor(-up)
        }
    }
}

/// Calendar days before their end from which a future's options are listed.
pub const LISTED_AHEAD: i64 = 200;

/// One thing that options are listed on. All of it is data.
#[derive(Debug, Clone, PartialEq)]
pub struct Underlying {
    /// Symbol, e.g. `NMOU`.
    pub symbol: String,
    /// The name in full, as it stands in the head of its chain.
    pub name: String,
    /// What it is.
    pub kind: UnderlyingKind,
    /// Exercise style of its options.
    pub style: Style,
    /// How they settle.
    pub settlement: Settlement,
    /// Units of the underlying per contract.
    pub multiplier: i64,
    /// Ticks of a single option.
    pub ticks: TickTable,
    /// Tick of a package's net price.
    pub package_tick: Price,
    /// Tick of the underlying itself.
    pub own_tick: Price,
    /// How its prices and those of its options are written.
    pub style_of_price: PriceStyle,
    /// The percentages by which strategy rules margin its options.
    pub margin_class: MarginClass,
    /// Which expirations are listed by rule.
    pub listing: ListingRule,
    /// Expirations of its own, in place of the rule's: those of a future's options.
    pub own_dates: Vec<Date>,
    /// The last session on which it trades; none: for good.
    pub last_session: Option<Date>,
    /// The session it keeps; the exchange's own where nothing is said.
    pub session: Option<OwnSession>,
    /// Root of what is settled at the close where it differs from the symbol.
    pub weekly_root: Option<String>,
    /// The root whose options are settled on opening prints, where there is one.
    pub opening_root: Option<String>,
    /// Sensitivity to the index, used to express deltas in index terms.
    pub beta: f64,
}

impl Underlying {
    /// The root under which an expiration's contracts trade.
    pub fn root_for(&self, expiration: &Expiration) -> &str {
        let root = if expiration.am_settled {
            &self.opening_root
        } else {
            &self.weekly_root
        };
        root.as_ref().unwrap_or(&self.symbol)
    }

    /// Whether a root belongs to this underlying.
    pub fn owns_root(&self, root: &str) -> bool {
        root == self.symbol || self.weekly_root.as_deref() == Some(root) || self.opens(root)
    }

    /// Whether the options of a root are settled on opening prints.
    pub fn opens(&self, root: &str) -> bool {
        self.opening_root.as_deref() == Some(root)
    }

    /// The expiration a contract belongs to, as far as its settlement time is concerned.
    pub fn expiry_moment(&self, contract: &Contract) -> Moment {
        self.end_on(contract.expiry, self.opens(&contract.root))
    }

    /// Its hours on a date, on the exchange's clock.
    pub fn hours_on(&self, day: Date) -> Hours {
        match &self.session {
            Some(own) => own.hours_on(day),
            None => hours_of(day),
        }
    }

    /// Opening or close of its session on a date.
    pub fn end_on(&self, day: Date, opening: bool) -> Moment {
        let hours = self.hours_on(day);
        Moment::at(day, 0, if opening { hours.open } else { hours.close })
    }

    /// An expiration in its session.
    pub fn expiration(&self, date: Date, cycle: Cycle, am_settled: bool) -> Expiration {
        Expiration {
            date,
            cycle,
            am_settled,
            ends: self.end_on(date, am_settled),
        }
    }

    /// The expirations listed at `now`, ascending.
    pub fn expirations(&self, now: Moment) -> Vec<Expiration> {
        if self.own_dates.is_empty() {
            return self.listing.expirations(now);
        }
        let own = self.own_dates.iter();
        let all = own.map(|date| self.expiration(*date, Cycle::Monthly, false));
        all.filter(|e| e.moment() > now && now.days_until(e.date) <= LISTED_AHEAD)
            .collect()
    }

    /// Steps of a structure's net price: something alone keeps its own.
    pub fn ticks_of(&self, structure: &Holding) -> TickTable {
        match structure.legs() {
            [one] if one.instrument.option().is_some() => self.ticks.clone(),
            [_] => TickTable::single(self.own_tick),
            _ => TickTable::single(self.package_tick),
        }
    }

    /// What one contract, share or future of `instrument` counts: money per 1.00 of its price.
    pub fn units(&self, instrument: &Instrument) -> i64 {
        match (instrument, self.kind) {
            (Instrument::Option(_), _) | (_, UnderlyingKind::Future) => self.multiplier,
            _ => 1,
        }
    }

    /// How many shares or futures one option stands for.
    pub fn lot(&self) -> i64 {
        if self.kind == UnderlyingKind::Future {
            1
        } else {
            self.multiplier
        }
    }

    /// How many of `instrument` are added or taken away at one press: an option, a future, or as many
    /// shares as one option stands for.
    pub fn step(&self, instrument: &Instrument) -> i64 {
        match instrument {
            Instrument::Option(_) => 1,
            Instrument::Underlying(_) => self.lot(),
        }
    }

    /// Money per 1.00 of each leg's price, signed.
    pub fn weights(&self, structure: &Holding) -> Vec<i64> {
        let legs = structure.legs().iter();
        legs.map(|l| l.quantity.saturating_mul(self.units(&l.instrument)))
            .collect()
    }

    /// Money per 1.00 of a structure's net price: that of an option, or of the underlying alone.
    pub fn price_units(&self, structure: &Holding) -> i64 {
        if structure.options().next().is_some() {
            self.multiplier
        } else {
            structure
                .legs()
                .first()
                .map_or(1, |l| self.units(&l.instrument))
        }
    }

    /// What is held fixed when interest moves: the price of a future with its rate and yield, or the spot
    /// with its yield. Rho of the options follows from it.
    pub fn priced_on(&self) -> PricedOn {
        match self.kind {
            UnderlyingKind::Future => PricedOn::Future,
            UnderlyingKind::Shares | UnderlyingKind::Index => PricedOn::Spot,
        }
    }

    /// Whether nothing is paid for the underlying itself, but gains and losses settled every day.
    pub fn settles_daily(&self) -> bool {
        match self.kind {
            UnderlyingKind::Future => true,
            UnderlyingKind::Shares | UnderlyingKind::Index => false,
        }
    }

    /// The same of an instrument: an option on a future is paid for.
    pub fn is_margined(&self, instrument: &Instrument) -> bool {
        self.settles_daily() && instrument.option().is_none()
    }

    /// Fees of so many of each leg.
    pub fn fees(&self, structure: &Holding, fees: &Fees) -> Money {
        let each = |instrument: &Instrument| match (instrument, self.kind) {
            (Instrument::Option(_), _) => fees.option,
            (_, UnderlyingKind::Future) => fees.future,
            _ => Money::ZERO,
        };
        structure
            .legs()
            .iter()
            .map(|l| each(&l.instrument) * l.quantity.abs())
            .sum()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn price(text: &str) -> Price {
        text.parse().unwrap()
    }

    #[test]
    fn rounding_looks_the_regime_up_again() {
        let t = TickTable::split(Price::cents(1), Price::cents(300), Price::cents(5));
        let cases = [
            ("2.994", "2.99", "3.00"),
            ("3.00", "3.00", "3.00"),
            ("3.01", "3.00", "3.05"),
            ("-2.994", "-3.00", "-2.99"),
            ("0.004", "0.00", "0.01"),
        ];
        for (given, down, up) in cases {
            assert_eq!(
                (t.floor(price(given)), t.ceil(price(given))),
                (price(down), price(up)),
                "{given}"
            );
        }
        assert!(
            t.allows(price("2.99"))
                && t.allows(price("3.05"))
                && !t.allows(price("3.01"))
                && t.allows(price("-0.90"))
        );
    }
}
