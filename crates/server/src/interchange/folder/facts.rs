//! What a symbol does not say: the facts of `instrument.csv`.

use std::collections::BTreeMap;

use desk::calendar::Hours;
use desk::{
    Fees, ListingRule, MarginClass, Money, Price, PriceStyle, ScanRates, Settlement, Style,
    TickTable, Underlying, UnderlyingKind,
};
use jiff::civil::Date;
use jiff::tz::TimeZone;
use market::Told;

use super::table::read;
use super::zone;

/// What a symbol does not say, by the names that `instrument.csv` uses.
///
/// What a contract delivers may change on a date: such rows name it in a third column, `from`.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Facts(BTreeMap<String, String>, BTreeMap<Date, String>);

/// What an adjusted contract delivers: so many shares, and cash.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Deliverable {
    shares: Price,
    cash: Price,
}

impl Deliverable {
    /// Reads "150" or "150 + 12.50".
    fn read(text: &str) -> Result<Deliverable, String> {
        let (shares, cash) = text.split_once('+').unwrap_or((text, "0"));
        let number = |t: &str| t.trim().parse::<Price>().ok();
        let read = number(shares).zip(number(cash));
        let good = |(s, c): &(Price, Price)| *s > Price::ZERO && *c >= Price::ZERO;
        let (shares, cash) = read.filter(good).ok_or_else(|| {
            format!(
                "deliverable: {text:?} is none; write shares, and cash where there is some, like 150 + 12.50"
            )
        })?;
        Ok(Deliverable { shares, cash })
    }

    /// What it is worth for each unit of the contract's price.
    pub fn worth(&self, spot: Price, multiplier: i64) -> Price {
        let shares = i128::from(self.shares.raw()) * i128::from(spot.raw());
        let whole = shares / i128::from(Price::SCALE) + i128::from(self.cash.raw());
        let each = whole / i128::from(multiplier.max(1));
        Price::from_raw(i64::try_from(each).unwrap_or(i64::MAX))
    }
}

/// Names, and what holds when they are not given. Nothing: it is not known, or follows from others.
pub(super) const FACTS: [(&str, &str); 23] = [
    ("name", ""),
    ("kind", "shares"),
    ("style", "american"),
    ("settlement", "delivery"),
    ("multiplier", "100"),
    ("deliverable", ""),
    ("tick", "0.01"),
    ("coarse_tick", ""),
    ("coarse_from", ""),
    ("package_tick", ""),
    ("own_tick", ""),
    ("prices", "decimal"),
    ("margin", ""),
    ("dividend_yield", ""),
    ("sector", ""),
    ("basket", "no"),
    ("opening_root", ""),
    ("closing_root", ""),
    ("time_zone", ""),
    ("session", ""),
    ("last_session", ""),
    ("fee_option", ""),
    ("fee_future", ""),
];

fn one_of<T: Copy>(name: &str, text: &str, known: &[(&str, T)]) -> Result<T, String> {
    let found = known
        .iter()
        .find(|(word, _)| *word == text)
        .map(|(_, value)| *value);
    let words = || {
        known
            .iter()
            .map(|(word, _)| *word)
            .collect::<Vec<_>>()
            .join(", ")
    };
    found.ok_or_else(|| format!("{name}: {text:?} is not known; write one of {}", words()))
}

/// A time of day in minutes, written like 09:30.
pub(super) fn time_of_day(text: &str) -> Option<i64> {
    let (hour, minute) = text.trim().split_once(':')?;
    let number = |t: &str, below: i64| {
        let n: i64 = t.parse().ok()?;
        (t.len() == 2 && (0..below).contains(&n)).then_some(n)
    };
    Some(number(hour, 24)? * 60 + number(minute, 60)?)
}

/// Everything that is told of one instrument.
pub(super) struct Described {
    /// What is told of the underlying for good.
    pub underlying: Underlying,
    /// What else is told.
    pub told: Told,
    /// The hours of its session, on its own clock.
    pub hours: Option<Hours>,
    /// The time zone of its clock, where one is named.
    pub zone: Option<TimeZone>,
    /// What an adjusted contract delivers from each date on, ascending; nothing of a plain one.
    pub delivers: Vec<(Date, Deliverable)>,
}

impl Facts {
    /// Sets one; only known names are taken.
    ///
    /// # Errors
    /// An unknown name.
    pub fn set(&mut self, name: &str, value: &str) -> Result<(), String> {
        if !FACTS.iter().any(|(known, _)| *known == name) {
            return Err(format!(
                "{name:?} is not known; write one of {}",
                FACTS.map(|f| f.0).join(", ")
            ));
        }
        self.0.insert(name.to_owned(), value.to_owned());
        Ok(())
    }

    /// Sets what holds from a date on.
    ///
    /// # Errors
    /// Another name than `deliverable`.
    pub fn set_from(&mut self, name: &str, value: &str, from: Date) -> Result<(), String> {
        if name != "deliverable" {
            return Err(format!(
                "from: {name} holds for good; only deliverable goes by date"
            ));
        }
        self.1.insert(from, value.to_owned());
        Ok(())
    }

    /// Rows that hold from a date on.
    pub(super) fn dated(&self) -> impl Iterator<Item = (&Date, &String)> {
        self.1.iter()
    }

    fn delivers(&self) -> Result<Vec<(Date, Deliverable)>, String> {
        let always = Some(self.get("deliverable")).filter(|t| !t.is_empty());
        let all = always.map(|text| (Date::MIN, text)).into_iter();
        let all = all.chain(self.1.iter().map(|(from, text)| (*from, text.as_str())));
        all.map(|(from, text)| Ok((from, Deliverable::read(text)?)))
            .collect()
    }

    /// What is given, or what holds without; nothing where that is nothing.
    pub(super) fn get(&self, name: &str) -> &str {
        let usual = FACTS
            .iter()
            .find(|(known, _)| *known == name)
            .map_or("", |f| f.1);
        let given = self.0.get(name).filter(|v| !v.is_empty());
        given.map_or(usual, String::as_str)
    }

    fn maybe<T: std::str::FromStr<Err: std::fmt::Display>>(
        &self,
        name: &str,
    ) -> Result<Option<T>, String> {
        match self.get(name) {
            "" => Ok(None),
            text => read(name, text).map(Some),
        }
    }

    /// The zone whose clock its moments are told on.
    ///
    /// # Errors
    /// There is no such zone.
    pub(super) fn zone(&self) -> Result<Option<TimeZone>, String> {
        match self.get("time_zone") {
            "" => Ok(None),
            name => zone::named(name).map(Some),
        }
    }

    /// The instrument.
    ///
    /// # Errors
    /// A fact that is not right for its name, or facts that do not go together.
    pub(super) fn described(&self, symbol: &str) -> Result<Described, String> {
        let kind = one_of(
            "kind",
            self.get("kind"),
            &[
                ("shares", UnderlyingKind::Shares),
                ("index", UnderlyingKind::Index),
                ("future", UnderlyingKind::Future),
            ],
        )?;
        let multiplier: i64 = read("multiplier", self.get("multiplier"))?;
        let tick: Price = read("tick", self.get("tick"))?;
        let dividend_yield: Option<f64> = self.maybe("dividend_yield")?;
        if !(1..=100_000).contains(&multiplier)
            || tick <= Price::ZERO
            || !(-0.5..=0.5).contains(&dividend_yield.unwrap_or(0.0))
        {
            return Err(format!(
                "multiplier {multiplier}, tick {tick} and dividend_yield {}: write 1 to 100,000, a tick \
                 above zero, and −0.5 to 0.5 a year",
                dividend_yield.unwrap_or(0.0)
            ));
        }
        let (opening_root, weekly_root) = (self.root("opening_root")?, self.root("closing_root")?);
        let step = |name: &str| -> Result<Price, String> {
            let step = self.maybe(name)?.unwrap_or(tick);
            if step > Price::ZERO {
                Ok(step)
            } else {
                Err(format!("{name}: {step} is no step; write one above zero"))
            }
        };
        let underlying = Underlying {
            symbol: symbol.to_owned(),
            name: if self.get("name").is_empty() {
                symbol.to_owned()
            } else {
                self.get("name").to_owned()
            },
            kind,
            style: one_of(
                "style",
                self.get("style"),
                &[("american", Style::American), ("european", Style::European)],
            )?,
            settlement: one_of(
                "settlement",
                self.get("settlement"),
                &[
                    ("delivery", Settlement::Delivery),
                    ("cash", Settlement::Cash),
                ],
            )?,
            multiplier,
            ticks: self.ticks(tick)?,
            package_tick: step("package_tick")?,
            own_tick: step("own_tick")?,
            style_of_price: one_of(
                "prices",
                self.get("prices"),
                &[
                    ("decimal", PriceStyle::Decimal),
                    ("eighths", PriceStyle::Eighths),
                    ("64ths", PriceStyle::SixtyFourths),
                ],
            )?,
            margin_class: self.margin(kind)?,
            listing: ListingRule::default(),
            own_dates: Vec::new(),
            last_session: self.last_session(kind)?,
            session: None,
            weekly_root: weekly_root.filter(|r| r != symbol),
            opening_root,
            beta: 1.0,
        };
        let delivers = self.delivers()?;
        let told = Told {
            dividend_yield,
            sector: Some(self.get("sector").to_owned()).filter(|s| !s.is_empty()),
            basket: one_of(
                "basket",
                self.get("basket"),
                &[("yes", true), ("no", false)],
            )?,
            fees: self.fees()?,
            adjusted: !delivers.is_empty(),
        };
        Ok(Described {
            underlying,
            told,
            hours: self.hours()?,
            zone: self.zone()?,
            delivers,
        })
    }

    fn root(&self, name: &str) -> Result<Option<String>, String> {
        let root = self.get(name);
        if root.is_empty() {
            return Ok(None);
        }
        super::check_symbol(root).map_err(|e| format!("{name}: {e}"))?;
        Ok(Some(root.to_owned()))
    }

    fn last_session(&self, kind: UnderlyingKind) -> Result<Option<Date>, String> {
        let last: Option<Date> = self.maybe("last_session")?;
        match (last, kind) {
            (Some(last), UnderlyingKind::Shares | UnderlyingKind::Index) => Err(format!(
                "last_session: {last} is the end of a future; shares and an index have none, leave it \
                 empty"
            )),
            (last, _) => Ok(last),
        }
    }

    fn ticks(&self, tick: Price) -> Result<TickTable, String> {
        match (
            self.maybe::<Price>("coarse_tick")?,
            self.maybe::<Price>("coarse_from")?,
        ) {
            (None, None) => Ok(TickTable::single(tick)),
            (Some(coarse), Some(from)) if coarse > Price::ZERO && from > Price::ZERO => {
                Ok(TickTable::split(tick, from, coarse))
            }
            _ => Err(
                "coarse_tick and coarse_from: write both, above zero (the step from that price on), or \
                 neither"
                    .into(),
            ),
        }
    }

    fn margin(&self, kind: UnderlyingKind) -> Result<MarginClass, String> {
        if kind == UnderlyingKind::Future {
            return Ok(MarginClass::Scan(ScanRates {
                price_scan: 0.07,
                vol_scan: 0.05,
                extreme_multiple: 3.0,
                extreme_cover: 0.33,
                exposure_rate: 0.0,
                short_option_minimum: 0.0,
            }));
        }
        match (self.get("margin"), kind) {
            ("", UnderlyingKind::Index) => Ok(MarginClass::BroadIndex),
            ("", _) => Ok(MarginClass::Equity),
            (word, _) => one_of(
                "margin",
                word,
                &[
                    ("equity", MarginClass::Equity),
                    ("broad_index", MarginClass::BroadIndex),
                    ("large_index", MarginClass::LargeIndex),
                ],
            ),
        }
    }

    fn fees(&self) -> Result<Option<Fees>, String> {
        let fee = |name: &str| -> Result<Option<Money>, String> {
            match self.maybe::<Money>(name)? {
                Some(fee) if fee < Money::ZERO => {
                    Err(format!("{name}: {fee} is below zero; write zero or more"))
                }
                fee => Ok(fee),
            }
        };
        let (option, future) = (fee("fee_option")?, fee("fee_future")?);
        Ok((option.is_some() || future.is_some()).then(|| Fees {
            option: option.unwrap_or(market::FEES.option),
            future: future.unwrap_or(market::FEES.future),
        }))
    }

    fn hours(&self) -> Result<Option<Hours>, String> {
        let text = self.get("session");
        if text.is_empty() {
            return Ok(None);
        }
        let read = || {
            let (open, close) = text.split_once('-')?;
            let hours = Hours {
                open: time_of_day(open)?,
                close: time_of_day(close)?,
            };
            (hours.open < hours.close).then_some(hours)
        };
        let hours = read().ok_or_else(|| {
            format!("session: {text:?} is no session; write opening and close like 09:30-16:00")
        })?;
        Ok(Some(hours))
    }
}
