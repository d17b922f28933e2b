//! What a symbol does not say: the facts of `instrument.csv`.

use std::collections::BTreeMap;

use desk::{
    ListingRule, MarginClass, Price, PriceStyle, ScanRates, Settlement, Style, TickTable,
    Underlying, UnderlyingKind,
};

use super::table::read;

/// What a symbol does not say, by the names that `instrument.csv` uses.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Facts(BTreeMap<String, String>);

/// Names, what they mean, and what holds when they are not given.
pub(super) const FACTS: [(&str, &str); 8] = [
    ("name", ""),
    ("kind", "shares"),
    ("style", "american"),
    ("settlement", "delivery"),
    ("multiplier", "100"),
    ("tick", "0.01"),
    ("prices", "decimal"),
    ("dividend_yield", "0"),
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

impl Facts {
    /// Sets one; only known names are taken.
    ///
    /// # Errors
    /// An unknown name, or a value that is not right for it.
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

    pub(super) fn get(&self, name: &str) -> &str {
        let usual = FACTS
            .iter()
            .find(|(known, _)| *known == name)
            .map_or("", |f| f.1);
        self.0.get(name).map_or(usual, String::as_str)
    }

    /// The underlying and its dividend yield.
    ///
    /// # Errors
    /// A fact that is needed and missing, or facts that do not go together.
    pub fn underlying(&self, symbol: &str) -> Result<(Underlying, f64), String> {
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
        let dividend_yield: f64 = read("dividend_yield", self.get("dividend_yield"))?;
        if !(1..=100_000).contains(&multiplier)
            || tick <= Price::ZERO
            || !(-0.5..=0.5).contains(&dividend_yield)
        {
            return Err(format!(
                "multiplier {multiplier}, tick {tick} and dividend_yield {dividend_yield}: write \
                 1 to 100,000, a tick above zero, and −0.5 to 0.5 a year"
            ));
        }
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
            ticks: TickTable::single(tick),
            package_tick: tick,
            own_tick: tick,
            style_of_price: one_of(
                "prices",
                self.get("prices"),
                &[
                    ("decimal", PriceStyle::Decimal),
                    ("eighths", PriceStyle::Eighths),
                    ("64ths", PriceStyle::SixtyFourths),
                ],
            )?,
            margin_class: match kind {
                UnderlyingKind::Shares => MarginClass::Equity,
                UnderlyingKind::Index => MarginClass::BroadIndex,
                UnderlyingKind::Future => MarginClass::Scan(ScanRates {
                    price_scan: 0.07,
                    vol_scan: 0.05,
                    extreme_multiple: 3.0,
                    extreme_cover: 0.33,
                    exposure_rate: 0.0,
                    short_option_minimum: 0.0,
                }),
            },
            listing: ListingRule::default(),
            own_dates: Vec::new(),
            last_session: None,
            weekly_root: None,
            beta: 1.0,
        };
        Ok((underlying, dividend_yield))
    }
}
