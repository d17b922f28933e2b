//! Rows, and how they become the desk's types and back. A row that cannot be read names its table
//! and number.

use desk::order::Event;
use desk::{
    Bell, BellSide, Book, Cause, Contract, Decimal, Easing, EntryKind, Fill, FillLeg, FillTerms,
    Instrument, Label, Leg, Level, Link, Listens, Moment, Money, Occurrence, Order, Package, Price,
    Pricing, Purpose, Request, TimeInForce, Trigger, TriggerSide, Watched,
};
use diesel::prelude::*;

use crate::StoreError;
use crate::row::{bell_side_of, broken, condition, date, row};
use crate::schema::{
    bells, campaigns, clock, declined, drafts, fill_legs, journal, order_events, order_legs,
    orders, postings, settings,
};

row!(SettingRow, settings, { name: String, value: String });
row!(ClockRow, clock, { id: i64, now_ms: i64, running: bool, speed: i64 });
row!(OrderRow, orders, {
    id: i64,
    client_id: String,
    symbol: String,
    quantity: i64,
    limit_price: Option<i64>,
    closes: Option<i64>,
    rolls: bool,
    placed_ms: i64,
    time_in_force: String,
    good_till: Option<String>,
    trigger_side: Option<String>,
    trigger_level: Option<i64>,
    trigger_trail: Option<i64>,
    after_order: Option<i64>,
    cancel_group: Option<i64>,
});
row!(OrderLegRow, order_legs, {
    order_id: i64,
    position: i64,
    instrument: String,
    ratio: i64,
    closes: bool,
});
row!(CampaignRow, campaigns, { id: i64, name: String, note: String, tags: String });
row!(EventRow, order_events, {
    id: i64,
    order_id: i64,
    at_ms: i64,
    kind: String,
    price: Option<i64>,
    packages: Option<i64>,
    fees: Option<i64>,
    reason: Option<String>,
    step: Option<i64>,
    every_s: Option<i64>,
    after_order: Option<i64>,
    cancel_group: Option<i64>,
});
row!(FillLegRow, fill_legs, {
    event_id: i64,
    position: i64,
    instrument: String,
    quantity: i64,
    price: i64,
    units: Option<i64>,
    margined: Option<bool>,
});
row!(JournalRow, journal, {
    id: i64,
    at_ms: i64,
    kind: String,
    memo: String,
    order_id: Option<i64>,
    fill_event: Option<i64>,
    instrument: Option<String>,
    value: Option<i64>,
    quantity: Option<i64>,
    only_campaigns: Option<String>,
    from_campaign: Option<i64>,
    to_campaign: Option<i64>,
    parts: Option<String>,
});
row!(PostingRow, postings, { entry_id: i64, position: i64, book: String, amount: i64 });
row!(DraftRow, drafts, { slot: String, body: String, updated_ms: i64 });
row!(DeclinedRow, declined, { contract: String, at_ms: i64 });
row!(BellRow, bells, {
    id: i64,
    set_ms: i64,
    kind: String,
    symbol: Option<String>,
    side: Option<String>,
    level: Option<i64>,
    legs: Option<String>,
    rung_ms: Option<i64>,
    says: Option<String>,
    answered: bool,
    measure: Option<String>,
    campaign: Option<i64>,
    rule: Option<i64>,
    again: Option<i64>,
    spent: bool,
    until: Option<String>,
    snoozed_ms: Option<i64>,
    note: String,
});

fn instrument(table: &'static str, row: i64, text: &str) -> Result<Instrument, StoreError> {
    text.parse().map_err(|e| broken(table, row, e))
}

const SIDES: [(TriggerSide, &str); 3] = [
    (TriggerSide::Mark, "mark"),
    (TriggerSide::Cross, "cross"),
    (TriggerSide::Rest, "rest"),
];

fn side_word(side: TriggerSide) -> &'static str {
    SIDES
        .iter()
        .find(|(s, _)| *s == side)
        .map_or("mark", |(_, w)| w)
}

fn side_of(row: i64, word: &str) -> Result<TriggerSide, StoreError> {
    SIDES
        .iter()
        .find(|(_, w)| *w == word)
        .map(|(s, _)| *s)
        .ok_or_else(|| broken("orders", row, format!("trigger side {word:?}")))
}

impl OrderRow {
    pub(crate) fn of(order: &Order) -> OrderRow {
        let r = &order.request;
        OrderRow {
            id: order.id as i64,
            client_id: r.client_id.clone(),
            symbol: r.symbol.clone(),
            quantity: r.quantity,
            limit_price: if let Pricing::Limit(p) = r.pricing {
                Some(p.raw())
            } else {
                None
            },
            closes: r.purpose.campaign().map(|c| c as i64),
            rolls: matches!(r.purpose, Purpose::Roll(_)),
            placed_ms: order.placed.millis(),
            time_in_force: match r.time_in_force {
                TimeInForce::Day => "day",
                TimeInForce::GoodTillCancelled => "good_till_cancelled",
                TimeInForce::GoodTillDate(_) => "good_till_date",
                TimeInForce::ImmediateOrCancel => "immediate_or_cancel",
                TimeInForce::FillOrKill => "fill_or_kill",
            }
            .into(),
            good_till: if let TimeInForce::GoodTillDate(date) = r.time_in_force {
                Some(date.to_string())
            } else {
                None
            },
            trigger_side: r.trigger.map(|t| side_word(t.side).into()),
            trigger_level: r.trigger.and_then(|t| {
                if let Level::At(p) = t.level {
                    Some(p.raw())
                } else {
                    None
                }
            }),
            trigger_trail: r.trigger.and_then(|t| {
                if let Level::Trailing(p) = t.level {
                    Some(p.raw())
                } else {
                    None
                }
            }),
            after_order: r.link.after.map(|o| o as i64),
            cancel_group: r.link.group.map(|g| g as i64),
        }
    }

    pub(crate) fn into_order(
        self,
        legs: Vec<OrderLegRow>,
        events: Vec<(Moment, Event)>,
    ) -> Result<Order, StoreError> {
        let id = self.id;
        let closing = legs
            .iter()
            .filter(|l| l.closes)
            .map(|l| l.position as usize);
        let closing = closing.collect();
        let legs = legs
            .into_iter()
            .map(|l| {
                Ok(Leg {
                    instrument: instrument("order_legs", id, &l.instrument)?,
                    quantity: l.ratio,
                })
            })
            .collect::<Result<Vec<_>, StoreError>>()?;
        let unit = Package::new(legs).map_err(|e| broken("orders", id, e))?;
        let time_in_force = match (self.time_in_force.as_str(), &self.good_till) {
            ("good_till_date", Some(date)) => {
                TimeInForce::GoodTillDate(date.parse().map_err(|e| broken("orders", id, e))?)
            }
            ("day", _) => TimeInForce::Day,
            ("good_till_cancelled", _) => TimeInForce::GoodTillCancelled,
            ("immediate_or_cancel", _) => TimeInForce::ImmediateOrCancel,
            ("fill_or_kill", _) => TimeInForce::FillOrKill,
            (other, _) => return Err(broken("orders", id, format!("time in force {other:?}"))),
        };
        let trigger = match (
            self.trigger_side.as_deref(),
            self.trigger_level,
            self.trigger_trail,
        ) {
            (None, _, _) => None,
            (Some(side), Some(at), None) => Some(Trigger {
                side: side_of(id, side)?,
                level: Level::At(Price::from_raw(at)),
            }),
            (Some(side), None, Some(by)) => Some(Trigger {
                side: side_of(id, side)?,
                level: Level::Trailing(Price::from_raw(by)),
            }),
            _ => {
                return Err(broken(
                    "orders",
                    id,
                    "a trigger needs a level or a distance",
                ));
            }
        };
        let request = Request {
            client_id: self.client_id,
            symbol: self.symbol,
            unit,
            quantity: self.quantity,
            pricing: self
                .limit_price
                .map_or(Pricing::Market, |p| Pricing::Limit(Price::from_raw(p))),
            trigger,
            link: Link {
                after: self.after_order.map(|o| o as u64),
                group: self.cancel_group.map(|g| g as u64),
            },
            time_in_force,
            purpose: match (self.closes, self.rolls) {
                (None, _) => Purpose::Open,
                (Some(campaign), false) => Purpose::Close(campaign as u64),
                (Some(campaign), true) => Purpose::Roll(campaign as u64),
            },
            closing,
        };
        Ok(Order {
            id: id as u64,
            placed: Moment::from_millis(self.placed_ms),
            request,
            events,
        })
    }
}

impl EventRow {
    pub(crate) fn of(id: i64, order: u64, at: Moment, event: &Event) -> EventRow {
        let bare = EventRow {
            id,
            order_id: order as i64,
            at_ms: at.millis(),
            kind: String::new(),
            price: None,
            packages: None,
            fees: None,
            reason: None,
            step: None,
            every_s: None,
            after_order: None,
            cancel_group: None,
        };
        let told = |kind: &str, row: EventRow| EventRow {
            kind: kind.into(),
            ..row
        };
        let priced = |p: &Price| EventRow {
            price: Some(p.raw()),
            ..bare.clone()
        };
        let counted = |n: &i64| EventRow {
            packages: Some(*n),
            ..bare.clone()
        };
        match event {
            Event::Accepted => told("accepted", bare),
            Event::Repriced(p) => told("repriced", priced(p)),
            Event::Resized(n) => told("resized", counted(n)),
            Event::Eased(None) => told("eased", bare),
            Event::Eased(Some(e)) => told(
                "eased",
                EventRow {
                    step: Some(e.step.raw()),
                    every_s: Some(e.every),
                    ..priced(&e.to)
                },
            ),
            Event::Tied(link) => told(
                "tied",
                EventRow {
                    after_order: link.after.map(|o| o as i64),
                    cancel_group: link.group.map(|g| g as i64),
                    ..bare
                },
            ),
            Event::Trailed(p) => told("trailed", priced(p)),
            Event::Triggered(p) => told("triggered", priced(p)),
            Event::Activated(n) => told("activated", counted(n)),
            Event::Reduced(n) => told("reduced", counted(n)),
            Event::Forgone(n) => told("forgone", counted(n)),
            Event::Filled(f) => told(
                "filled",
                EventRow {
                    packages: Some(f.packages),
                    fees: Some(f.fees.raw()),
                    ..priced(&f.price)
                },
            ),
            Event::Cancelled => told("cancelled", bare),
            Event::Expired(why) => told(
                "expired",
                EventRow {
                    reason: Some(why.clone()),
                    ..bare
                },
            ),
        }
    }

    pub(crate) fn into_event(self, legs: Vec<FillLegRow>) -> Result<(Moment, Event), StoreError> {
        let id = self.id;
        let at = Moment::from_millis(self.at_ms);
        let need = |value: Option<i64>, column: &str| {
            value.ok_or_else(|| broken("order_events", id, format!("{column} is missing")))
        };
        let event = match self.kind.as_str() {
            "accepted" => Event::Accepted,
            "repriced" => Event::Repriced(Price::from_raw(need(self.price, "price")?)),
            "trailed" => Event::Trailed(Price::from_raw(need(self.price, "price")?)),
            "triggered" => Event::Triggered(Price::from_raw(need(self.price, "price")?)),
            "resized" => Event::Resized(need(self.packages, "packages")?),
            "eased" => Event::Eased(match self.step {
                None => None,
                Some(step) => Some(Easing {
                    step: Price::from_raw(step),
                    every: need(self.every_s, "every_s")?,
                    to: Price::from_raw(need(self.price, "price")?),
                }),
            }),
            "tied" => Event::Tied(Link {
                after: self.after_order.map(|o| o as u64),
                group: self.cancel_group.map(|g| g as u64),
            }),
            "activated" => Event::Activated(need(self.packages, "packages")?),
            "reduced" => Event::Reduced(need(self.packages, "packages")?),
            "forgone" => Event::Forgone(need(self.packages, "packages")?),
            "cancelled" => Event::Cancelled,
            "expired" => Event::Expired(self.reason.unwrap_or_default()),
            "filled" => {
                let legs = legs.into_iter().map(|l| {
                    Ok(FillLeg {
                        instrument: instrument("fill_legs", id, &l.instrument)?,
                        quantity: l.quantity,
                        price: Price::from_raw(l.price),
                        terms: l
                            .units
                            .zip(l.margined)
                            .map(|(units, margined)| FillTerms { units, margined }),
                    })
                });
                Event::Filled(Fill {
                    order: self.order_id as u64,
                    at,
                    packages: need(self.packages, "packages")?,
                    price: Price::from_raw(need(self.price, "price")?),
                    legs: legs.collect::<Result<_, StoreError>>()?,
                    fees: Money::from_raw(need(self.fees, "fees")?),
                })
            }
            other => {
                return Err(broken(
                    "order_events",
                    id,
                    format!("kind {other:?} is unknown"),
                ));
            }
        };
        Ok((at, event))
    }
}

const KINDS: [(EntryKind, &str); 11] = [
    (EntryKind::Deposit, "deposit"),
    (EntryKind::Trade, "trade"),
    (EntryKind::Settlement, "settlement"),
    (EntryKind::Exercise, "exercise"),
    (EntryKind::Assignment, "assignment"),
    (EntryKind::Dividend, "dividend"),
    (EntryKind::Variation, "variation"),
    (EntryKind::Offset, "offset"),
    (EntryKind::Transfer, "transfer"),
    (EntryKind::Merge, "merge"),
    (EntryKind::Correction, "correction"),
];

pub(crate) fn kind_word(kind: EntryKind) -> &'static str {
    KINDS
        .iter()
        .find(|(k, _)| *k == kind)
        .map_or("trade", |(_, w)| w)
}

pub(crate) fn kind_of(row: &JournalRow) -> Result<EntryKind, StoreError> {
    KINDS
        .iter()
        .find(|(_, w)| *w == row.kind)
        .map(|(k, _)| *k)
        .ok_or_else(|| broken("journal", row.id, format!("kind {:?}", row.kind)))
}

const BOOKS: [(Book, &str); 5] = [
    (Book::Cash, "cash"),
    (Book::Positions, "positions"),
    (Book::Realised, "realised"),
    (Book::Fees, "fees"),
    (Book::Capital, "capital"),
];

pub(crate) fn book_word(book: Book) -> &'static str {
    BOOKS
        .iter()
        .find(|(b, _)| *b == book)
        .map_or("cash", |(_, w)| w)
}

pub(crate) fn book_of(row: &PostingRow) -> Result<(Book, Money), StoreError> {
    let book = BOOKS
        .iter()
        .find(|(_, w)| *w == row.book)
        .ok_or_else(|| broken("postings", row.entry_id, "unknown book"))?
        .0;
    Ok((book, Money::from_raw(row.amount)))
}

/// What an entry that no order made was about.
pub(crate) fn cause_of(row: &JournalRow) -> Result<Option<Cause>, StoreError> {
    let wrong = |what: &str| broken("journal", row.id, what);
    if let Some(text) = &row.instrument {
        let only = row.only_campaigns.iter().flat_map(|t| t.split_whitespace());
        let only = only.map(|id| id.parse().map_err(|e| broken("journal", row.id, e)));
        return Ok(Some(Cause::Market {
            instrument: instrument("journal", row.id, text)?,
            value: Price::from_raw(row.value.unwrap_or(0)),
            quantity: row.quantity.unwrap_or(0),
            only: only.collect::<Result<_, _>>()?,
        }));
    }
    let (Some(from), Some(to)) = (row.from_campaign, row.to_campaign) else {
        return Ok(None);
    };
    let (from, to) = (from as u64, to as u64);
    let Some(parts) = &row.parts else {
        return Ok(Some(Cause::Merged { from, into: to }));
    };
    let part = |line: &str| {
        let (quantity, text) = line.split_once(' ').ok_or_else(|| wrong("parts"))?;
        let quantity = quantity.parse().map_err(|e| broken("journal", row.id, e))?;
        Ok((instrument("journal", row.id, text)?, quantity))
    };
    let parts = parts.lines().map(part).collect::<Result<_, StoreError>>()?;
    Ok(Some(Cause::Moved { from, to, parts }))
}

impl JournalRow {
    /// Writes down what an entry was about.
    pub(crate) fn about(self, cause: Option<&Cause>) -> JournalRow {
        match cause {
            None => self,
            Some(Cause::Market {
                instrument,
                value,
                quantity,
                only,
            }) => {
                let ids: Vec<String> = only.iter().map(u64::to_string).collect();
                JournalRow {
                    instrument: Some(instrument.to_string()),
                    value: Some(value.raw()),
                    quantity: Some(*quantity),
                    only_campaigns: (!ids.is_empty()).then(|| ids.join(" ")),
                    ..self
                }
            }
            Some(Cause::Moved { from, to, parts }) => {
                let line = |(i, n): &(Instrument, i64)| format!("{n} {i}");
                JournalRow {
                    from_campaign: Some(*from as i64),
                    to_campaign: Some(*to as i64),
                    parts: Some(parts.iter().map(line).collect::<Vec<_>>().join("\n")),
                    ..self
                }
            }
            Some(Cause::Merged { from, into }) => JournalRow {
                from_campaign: Some(*from as i64),
                to_campaign: Some(*into as i64),
                ..self
            },
        }
    }
}

impl CampaignRow {
    pub(crate) fn of(id: u64, label: &Label) -> CampaignRow {
        CampaignRow {
            id: id as i64,
            name: label.name.clone(),
            note: label.note.clone(),
            tags: label.tags.join("\n"),
        }
    }

    pub(crate) fn into_label(self) -> (u64, Label) {
        let tags = self.tags.lines().map(str::to_owned).collect();
        let label = Label {
            name: self.name,
            note: self.note,
            tags,
        };
        (self.id as u64, label)
    }
}

impl DeclinedRow {
    pub(crate) fn into_contract(self) -> Result<Contract, StoreError> {
        self.contract.parse().map_err(|e| broken("declined", 0, e))
    }
}

const OCCURRENCES: [(Occurrence, &str); 5] = [
    (Occurrence::Fill, "fill"),
    (Occurrence::Refusal, "refusal"),
    (Occurrence::End, "end"),
    (Occurrence::Deficit, "deficit"),
    (Occurrence::Rule, "rule"),
];

impl BellRow {
    pub(crate) fn of(bell: &Bell) -> BellRow {
        let mut measure = None;
        let mut campaign = bell.campaign;
        let (kind, symbol, side, level, legs) = match &bell.listens {
            Listens::Figure { of, condition } => {
                measure = Some(condition.measure.facts().word.to_owned());
                let symbol = match of {
                    Watched::Campaign(id) => {
                        campaign = Some(*id);
                        None
                    }
                    Watched::Symbol(symbol) => Some(symbol.clone()),
                    Watched::Account => None,
                };
                (
                    "figure",
                    symbol,
                    Some(condition.side.word().to_owned()),
                    Some(condition.limit.raw()),
                    None,
                )
            }
            Listens::Told(what) => (
                OCCURRENCES
                    .iter()
                    .find(|(o, _)| o == what)
                    .map_or("end", |(_, w)| w),
                None,
                None,
                None,
                None,
            ),
            Listens::Price {
                symbol,
                unit,
                side,
                level,
            } => {
                let lines = |s: &Package| {
                    s.legs()
                        .iter()
                        .map(|l| format!("{} {}", l.quantity, l.instrument))
                        .collect::<Vec<_>>()
                        .join("\n")
                };
                let side = if *side == BellSide::Above {
                    "above"
                } else {
                    "below"
                };
                (
                    "price",
                    Some(symbol.clone()),
                    Some(side.to_owned()),
                    Some(level.raw()),
                    unit.as_ref().map(lines),
                )
            }
        };
        BellRow {
            id: bell.id as i64,
            set_ms: bell.set.millis(),
            kind: kind.into(),
            symbol,
            side,
            level,
            legs,
            rung_ms: bell.rung.as_ref().map(|(at, _)| at.millis()),
            says: bell.rung.as_ref().map(|(_, says)| says.clone()),
            answered: bell.answered,
            measure,
            campaign: campaign.map(|id| id as i64),
            rule: bell.rule.map(|id| id as i64),
            again: bell.again.map(Decimal::raw),
            spent: bell.spent,
            until: bell.until.map(|d| d.to_string()),
            snoozed_ms: bell.snoozed.map(Moment::millis),
            note: bell.note.clone(),
        }
    }

    pub(crate) fn into_bell(self) -> Result<Bell, StoreError> {
        let id = self.id;
        let leg = |line: &str| -> Result<Leg, StoreError> {
            let (ratio, text) = line
                .split_once(' ')
                .ok_or_else(|| broken("bells", id, format!("leg {line:?}")))?;
            Ok(Leg {
                instrument: instrument("bells", id, text)?,
                quantity: ratio.parse().map_err(|e| broken("bells", id, e))?,
            })
        };
        let unit = |legs: String| -> Result<Package, StoreError> {
            Package::new(legs.lines().map(leg).collect::<Result<Vec<_>, _>>()?)
                .map_err(|e| broken("bells", id, e))
        };
        let occurrence = OCCURRENCES.iter().find(|(_, w)| *w == self.kind);
        let campaign = self.campaign.map(|id| id as u64);
        let listens = match (occurrence, self.kind.as_str()) {
            (Some((what, _)), _) => Listens::Told(*what),
            (None, "price") => match (self.symbol, self.side.as_deref(), self.level) {
                (Some(symbol), Some(side), Some(level)) => Listens::Price {
                    symbol,
                    unit: self.legs.map(unit).transpose()?,
                    side: bell_side_of("bells", id, side)?,
                    level: Price::from_raw(level),
                },
                _ => {
                    return Err(broken(
                        "bells",
                        id,
                        "a price needs a symbol, a side and a level",
                    ));
                }
            },
            (None, "figure") => match (self.measure.as_deref(), self.side.as_deref(), self.level) {
                (Some(measure), Some(side), Some(limit)) => Listens::Figure {
                    of: match (campaign, self.symbol) {
                        (Some(id), _) => Watched::Campaign(id),
                        (None, Some(symbol)) => Watched::Symbol(symbol),
                        (None, None) => Watched::Account,
                    },
                    condition: condition("bells", id, (measure, side, limit))?,
                },
                _ => {
                    return Err(broken(
                        "bells",
                        id,
                        "a figure needs a measure, a side and a limit",
                    ));
                }
            },
            (None, kind) => {
                return Err(broken("bells", id, format!("kind {kind:?} is unknown")));
            }
        };
        let rung = self
            .rung_ms
            .map(|at| (Moment::from_millis(at), self.says.unwrap_or_default()));
        let told = matches!(listens, Listens::Told(_));
        Ok(Bell {
            id: id as u64,
            set: Moment::from_millis(self.set_ms),
            rung,
            answered: self.answered,
            again: self.again.map(Decimal::from_raw),
            spent: self.spent,
            until: self.until.map(|d| date("bells", id, &d)).transpose()?,
            snoozed: self.snoozed_ms.map(Moment::from_millis),
            note: self.note,
            campaign: campaign.filter(|_| told),
            rule: self.rule.map(|id| id as u64),
            listens,
        })
    }
}
