//! Rows of rules, of what they found and what was decided, and of the daily record.

use std::str::FromStr;

use desk::life::Parts;
use desk::rules::{Largest, Rule, Rung, Scope};
use desk::{
    Answer, AtRisk, BellSide, Day, DayFigures, DayGreeks, Decimal, Decision, Moment, Money,
    OwnDate, Price, Said, SaidOf, Structure, Until,
};
use diesel::prelude::*;

use crate::StoreError;
use crate::row::{bell_side_of, broken, condition, date, row};
use crate::schema::{day_notes, days, decisions, entry_notes, own_dates, rules, said, standing};

row!(RuleRow, rules, {
    id: i64,
    scope: String,
    scope_of: Option<String>,
    measure: String,
    side: String,
    limit_value: i64,
    again: Option<i64>,
    is_on: bool,
});
row!(RungRow, standing, { rule: i64, campaign: i64, since_ms: i64, seen: String, holds: bool });
row!(DecisionRow, decisions, {
    id: i64,
    at_ms: i64,
    campaign: Option<i64>,
    reason: String,
    says: String,
    answer: String,
    until_date: Option<String>,
    until_side: Option<String>,
    until_level: Option<i64>,
    order_id: Option<i64>,
    note: String,
});
row!(OwnDateRow, own_dates, { id: i64, date: String, what: String, campaign: Option<i64> });
row!(DayNoteRow, day_notes, { day: String, note: String });
row!(EntryNoteRow, entry_notes, { entry: i64, note: String });
row!(SaidRow, said, { kind: String, id: i64, words: String, tags: String });
row!(DayRow, days, {
    day: String,
    version: i64,
    account_value: i64,
    deposits: Option<i64>,
    cash: Option<i64>,
    buying_power: Option<i64>,
    margin: Option<i64>,
    parts: Option<String>,
    greeks: Option<String>,
    at_moves: Option<String>,
    at_risk: Option<String>,
    largest: Option<String>,
    missing: Option<String>,
});

impl RuleRow {
    pub(crate) fn of(rule: &Rule) -> RuleRow {
        let (scope, scope_of) = match &rule.scope {
            Scope::All => ("all", None),
            Scope::Structure(s) => ("structure", Some(s.word().to_owned())),
            Scope::Symbol(s) => ("symbol", Some(s.clone())),
            Scope::Campaign(id) => ("campaign", Some(id.to_string())),
        };
        RuleRow {
            id: rule.id as i64,
            scope: scope.into(),
            scope_of,
            measure: rule.condition.measure.facts().word.into(),
            side: rule.condition.side.word().into(),
            limit_value: rule.condition.limit.raw(),
            again: rule.again.map(Decimal::raw),
            is_on: rule.on,
        }
    }

    pub(crate) fn into_rule(self) -> Result<Rule, StoreError> {
        let id = self.id;
        let unknown = |what: &str| broken("rules", id, format!("scope {what:?} is unknown"));
        let of = self.scope_of.unwrap_or_default();
        Ok(Rule {
            id: id as u64,
            scope: match self.scope.as_str() {
                "all" => Scope::All,
                "structure" => {
                    Scope::Structure(Structure::of_word(&of).ok_or_else(|| unknown(&of))?)
                }
                "symbol" => Scope::Symbol(of),
                "campaign" => Scope::Campaign(of.parse().map_err(|_| unknown(&of))?),
                other => return Err(unknown(other)),
            },
            condition: condition("rules", id, (&self.measure, &self.side, self.limit_value))?,
            again: self.again.map(Decimal::from_raw),
            on: self.is_on,
        })
    }
}

impl SaidRow {
    pub(crate) fn of(of: SaidOf, said: &Said) -> SaidRow {
        let (kind, id) = match of {
            SaidOf::Order(id) => ("order", id),
            SaidOf::After(id) => ("after", id),
        };
        SaidRow {
            kind: kind.into(),
            id: id as i64,
            words: said.words.clone(),
            tags: said.tags.join("\n"),
        }
    }

    pub(crate) fn into_said(self) -> Result<(SaidOf, Said), StoreError> {
        let id = self.id as u64;
        let of = match self.kind.as_str() {
            "order" => SaidOf::Order(id),
            "after" => SaidOf::After(id),
            other => {
                return Err(broken(
                    "words",
                    self.id,
                    format!("kind {other:?} is unknown"),
                ));
            }
        };
        let tags = self.tags.lines().map(str::to_owned).collect();
        Ok((
            of,
            Said {
                words: self.words,
                tags,
            },
        ))
    }
}

impl RungRow {
    pub(crate) fn of(rule: u64, campaign: Option<u64>, s: &Rung) -> RungRow {
        RungRow {
            rule: rule as i64,
            campaign: campaign.unwrap_or(0) as i64,
            since_ms: s.since.millis(),
            seen: s.seen.clone(),
            holds: s.holds,
        }
    }

    pub(crate) fn into_rung(self) -> (u64, Option<u64>, Rung) {
        let campaign = (self.campaign != 0).then_some(self.campaign as u64);
        let standing = Rung {
            since: Moment::from_millis(self.since_ms),
            seen: self.seen,
            holds: self.holds,
        };
        (self.rule as u64, campaign, standing)
    }
}

impl DecisionRow {
    pub(crate) fn of(d: &Decision) -> DecisionRow {
        let (mut until_date, mut until_side, mut until_level) = (None, None, None);
        let answer = match d.answer {
            Answer::Close => "close",
            Answer::Exercise => "exercise",
            Answer::DoNotExercise => "do not exercise",
            Answer::Noted => "noted",
            Answer::LetBe(Until::Change) => "until change",
            Answer::LetBe(Until::Date(date)) => {
                until_date = Some(date.to_string());
                "until date"
            }
            Answer::LetBe(Until::Price { side, level }) => {
                until_side = Some(
                    match side {
                        BellSide::Above => "above",
                        BellSide::Below => "below",
                    }
                    .to_owned(),
                );
                until_level = Some(level.raw());
                "until price"
            }
        };
        DecisionRow {
            id: d.id as i64,
            at_ms: d.at.millis(),
            campaign: d.campaign.map(|c| c as i64),
            reason: d.reason.clone(),
            says: d.says.clone(),
            answer: answer.into(),
            until_date,
            until_side,
            until_level,
            order_id: d.order.map(|o| o as i64),
            note: d.note.clone(),
        }
    }

    pub(crate) fn into_decision(self) -> Result<Decision, StoreError> {
        let id = self.id;
        let needs = |what: &str| broken("decisions", id, format!("{what} is missing"));
        let answer = match self.answer.as_str() {
            "close" => Answer::Close,
            "exercise" => Answer::Exercise,
            "do not exercise" => Answer::DoNotExercise,
            "noted" => Answer::Noted,
            "until change" => Answer::LetBe(Until::Change),
            "until date" => {
                let text = self.until_date.ok_or_else(|| needs("a date"))?;
                Answer::LetBe(Until::Date(date("decisions", id, &text)?))
            }
            "until price" => {
                let side = self.until_side.ok_or_else(|| needs("a side"))?;
                let level = self.until_level.ok_or_else(|| needs("a price"))?;
                Answer::LetBe(Until::Price {
                    side: bell_side_of("decisions", id, &side)?,
                    level: Price::from_raw(level),
                })
            }
            other => {
                return Err(broken(
                    "decisions",
                    id,
                    format!("answer {other:?} is unknown"),
                ));
            }
        };
        Ok(Decision {
            id: id as u64,
            at: Moment::from_millis(self.at_ms),
            campaign: self.campaign.map(|c| c as u64),
            reason: self.reason,
            says: self.says,
            answer,
            order: self.order_id.map(|o| o as u64),
            note: self.note,
        })
    }
}

impl OwnDateRow {
    pub(crate) fn of(d: &OwnDate) -> OwnDateRow {
        OwnDateRow {
            id: d.id as i64,
            date: d.date.to_string(),
            what: d.what.clone(),
            campaign: d.campaign.map(|c| c as i64),
        }
    }

    pub(crate) fn into_own_date(self) -> Result<OwnDate, StoreError> {
        Ok(OwnDate {
            id: self.id as u64,
            date: date("own_dates", self.id, &self.date)?,
            what: self.what,
            campaign: self.campaign.map(|c| c as u64),
        })
    }
}

/// Figures as one text, semicolons between.
fn joined<T: ToString>(all: &[T]) -> String {
    let each: Vec<String> = all.iter().map(T::to_string).collect();
    each.join(";")
}

/// So many figures of a text.
fn parted<T: FromStr, const N: usize>(text: &str) -> Option<[T; N]> {
    let all: Vec<T> = text
        .split(';')
        .map(|t| t.parse().ok())
        .collect::<Option<_>>()?;
    all.try_into().ok()
}

/// One "amount name" a line.
fn largest_text(l: &Largest) -> String {
    let line = |of: &Option<(String, Money)>| {
        of.as_ref()
            .map_or_else(String::new, |(name, amount)| format!("{amount} {name}"))
    };
    [&l.trade, &l.symbol, &l.sector, &l.expiration]
        .map(line)
        .join("\n")
}

fn largest_of(text: &str) -> Option<Largest> {
    let line = |line: &str| match line.split_once(' ') {
        None if line.is_empty() => Some(None),
        None => None,
        Some((amount, name)) => Some(Some((name.to_owned(), amount.parse().ok()?))),
    };
    let all: Vec<Option<(String, Money)>> = text.split('\n').map(line).collect::<Option<_>>()?;
    let [trade, symbol, sector, expiration]: [_; 4] = all.try_into().ok()?;
    Some(Largest {
        trade,
        symbol,
        sector,
        expiration,
    })
}

impl DayRow {
    pub(crate) fn of(day: &Day) -> DayRow {
        let f = day.figures.as_ref();
        let model = |v: &[f64]| joined(v);
        DayRow {
            day: day.date.clone(),
            version: i64::from(day.version),
            account_value: day.value.raw(),
            deposits: f.map(|f| f.deposits.raw()),
            cash: f.map(|f| f.cash.raw()),
            buying_power: f.map(|f| f.buying_power.raw()),
            margin: f.map(|f| f.margin.raw()),
            parts: f.map(|DayFigures { parts: p, .. }| {
                let exact = joined(&[p.total, p.fees]);
                format!(
                    "{exact};{}",
                    model(&[
                        p.delta,
                        p.gamma,
                        p.theta,
                        p.vega,
                        p.trades,
                        p.other,
                        p.rate,
                        p.dividends,
                    ])
                )
            }),
            greeks: f.map(|DayFigures { greeks: g, .. }| {
                model(&[g.lean, g.lean_money, g.gamma, g.theta, g.vega, g.rho])
            }),
            at_moves: f.map(|f| joined(&f.at_moves)),
            at_risk: f.map(|f| joined(&[f.at_risk.up, f.at_risk.down, f.at_risk.still])),
            largest: f.map(|f| largest_text(&f.largest)),
            missing: f.map(|f| f.missing.join("\n")),
        }
    }

    pub(crate) fn into_day(self) -> Result<Day, StoreError> {
        let figures =
            if self.version == 1 {
                None
            } else {
                let day = self.day.clone();
                let found = self.figures();
                Some(found.ok_or_else(|| {
                    broken("days", 0, format!("the figures of {day} cannot be read"))
                })?)
            };
        Ok(Day {
            date: self.day,
            version: self.version as u32,
            value: Money::from_raw(self.account_value),
            figures,
        })
    }

    fn figures(&self) -> Option<DayFigures> {
        let text = self.parts.as_deref()?;
        let mut exact = text.splitn(3, ';');
        let (total, fees) = (exact.next()?.parse().ok()?, exact.next()?.parse().ok()?);
        let model = exact.next()?;
        let [delta, gamma, theta, vega, trades, other, rate, dividends] = parted::<f64, 8>(model)
            .or_else(|| {
            // A row of form 2 has interest and dividends among the others.
            let [a, b, c, d, e, f] = parted::<f64, 6>(model)?;
            Some([a, b, c, d, e, f, 0.0, 0.0])
        })?;
        let [lean, lean_money, index_gamma, a_day, a_point, rho] =
            parted::<f64, 6>(self.greeks.as_deref()?)?;
        let [up, down, still] = parted::<Money, 3>(self.at_risk.as_deref()?)?;
        let missing = self.missing.as_deref()?;
        Some(DayFigures {
            deposits: Money::from_raw(self.deposits?),
            parts: Parts {
                total,
                delta,
                gamma,
                theta,
                vega,
                rate,
                dividends,
                trades,
                fees,
                other,
            },
            cash: Money::from_raw(self.cash?),
            buying_power: Money::from_raw(self.buying_power?),
            margin: Money::from_raw(self.margin?),
            greeks: DayGreeks {
                lean,
                lean_money,
                gamma: index_gamma,
                theta: a_day,
                vega: a_point,
                rho,
            },
            at_moves: parted::<Money, 5>(self.at_moves.as_deref()?)?,
            at_risk: AtRisk { up, down, still },
            largest: largest_of(self.largest.as_deref()?)?,
            missing: missing.lines().map(str::to_owned).collect(),
        })
    }
}
