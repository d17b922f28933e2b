//! Margin as it is shown: the sheet of a structure, and the balance of the whole account.

use desk::calendar::next_session;
use desk::{AccountKind, Holding, Kind, Leg, MarginClass, Money, Requirement, at_move};
use engine::money::{
    account_value, basis, buying_power, evaluate, holdings_of, requirements, usable_cash,
};
use engine::state::{State, underlying_of};
use market::Quoter;
use serde::Serialize;
use utoipa::ToSchema;

use crate::api::wire::evaluation::{EvaluationWire, MoneyWire, evaluation};
use crate::api::wire::money;
use crate::api::wire::words::AccountKindWord;
use crate::app::refusal::Refusal;

/// One part of a requirement.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, ToSchema)]
pub struct PartWire {
    /// In plain words.
    pub what: String,
    /// Money it needs.
    pub amount: String,
}

/// A requirement with its parts.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct RequirementWire {
    /// The rules that it follows.
    pub regime: Regime,
    /// Sum of the parts.
    pub total: String,
    /// Which legs stand together, and what each group requires.
    pub parts: Vec<PartWire>,
}

/// Which rules a requirement follows.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, ToSchema)]
pub enum Regime {
    /// Offsets of listed strategies.
    #[serde(rename = "strategy rules")]
    Strategy,
    /// The largest theoretical loss of a class.
    #[serde(rename = "portfolio rules")]
    Portfolio,
    /// The largest loss of a scan, plus exposure.
    #[serde(rename = "scan plus exposure")]
    Scan,
}

fn regime(state: &State, symbol: &str) -> Regime {
    match (
        state.world.underlying(symbol).map(|u| u.margin_class),
        state.rules.kind,
    ) {
        (Some(MarginClass::Scan(_)), _) => Regime::Scan,
        (_, AccountKind::Portfolio) => Regime::Portfolio,
        _ => Regime::Strategy,
    }
}

fn requirement_wire(state: &State, symbol: &str, r: &Requirement) -> RequirementWire {
    let parts = r
        .parts
        .iter()
        .map(|p| PartWire {
            what: p.what.clone(),
            amount: money(p.amount),
        })
        .collect();
    RequirementWire {
        regime: regime(state, symbol),
        total: money(r.total),
        parts,
    }
}

/// A point of the curve over the sold strikes.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct FartherPoint {
    /// Listed strikes farther out than they are.
    pub strikes_out: usize,
    /// The sold strikes, highest first: "205 · 175".
    pub sold: String,
    /// What the position alone would require there, in money.
    pub requirement: f64,
    /// What is tied up.
    pub tied_up: f64,
}

/// What is needed after the market has moved, marks worked out at their volatility.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct MovedPoint {
    /// Move in percent.
    pub percent: f64,
    /// What would be required after the move, in money.
    pub requirement: String,
    /// Change of buying power from now.
    pub change: String,
}

/// The margin of a structure.
#[derive(Debug, Clone, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct MarginSheet {
    /// What it is called.
    pub name: String,
    /// What the order would require with nothing else held.
    pub alone: RequirementWire,
    /// Money at entry, what must be there, what is tied up, leg by leg, saved, and what it does to
    /// the account.
    pub money: MoneyWire,
    /// Everything held in the underlying, before and after.
    pub held_before: RequirementWire,
    /// The same after it.
    pub held_after: RequirementWire,
    /// As what is sold moves out, strike by strike; empty where nothing can.
    pub farther: Vec<FartherPoint>,
    /// If the market moves, taken alone.
    pub moved: Vec<MovedPoint>,
}

/// Moves of the market that are looked at, in percent.
const MOVES: [f64; 7] = [-15.0, -10.0, -5.0, 0.0, 5.0, 10.0, 15.0];
/// Strikes that what is sold is moved out by at most.
const FARTHEST: usize = 8;

fn moved(held: &desk::MarginHolding, basis: &desk::MarginBasis) -> Vec<MovedPoint> {
    let now = at_move(held, basis, 0.0).takes();
    let at = |percent: &f64| {
        let r = at_move(held, basis, percent / 100.0);
        MovedPoint {
            percent: *percent,
            requirement: money(r.total),
            change: money(now - r.takes()),
        }
    };
    MOVES.iter().map(at).collect()
}

/// What is sold so many listed strikes farther out, and with it what is bought beside it (of the
/// same kind and expiration): widths stay. Nothing where a strike is missing.
fn farther(state: &State, symbol: &str, structure: &Holding, by: usize) -> Option<Holding> {
    let expirations = state.world.expirations(symbol, state.clock.now)?;
    let u = state.world.underlying(symbol)?;
    let sold: Vec<(Kind, jiff::civil::Date)> = structure
        .options()
        .filter(|(_, n)| *n < 0)
        .map(|(c, _)| (c.kind, c.expiry))
        .collect();
    let legs = structure
        .legs()
        .iter()
        .map(|l| match l.instrument.option() {
            Some(c) if sold.contains(&(c.kind, c.expiry)) => {
                let e = expirations
                    .iter()
                    .find(|e| e.date == c.expiry && u.root_for(e) == c.root)?;
                let strikes = market::strikes(&state.world, symbol, e, state.clock.now);
                let at = strikes.iter().position(|k| *k == c.strike)?;
                let to = if c.kind == Kind::Call {
                    at.checked_add(by)?
                } else {
                    at.checked_sub(by)?
                };
                let strike = *strikes.get(to)?;
                Some(Leg::option(
                    desk::Contract {
                        strike,
                        ..c.clone()
                    },
                    l.quantity,
                ))
            }
            _ => Some(l.clone()),
        });
    let moved = Holding::new(legs.collect::<Option<Vec<_>>>()?);
    (moved.legs().len() == structure.legs().len()).then_some(moved)
}

/// Builds the sheet of an evaluated structure.
pub fn sheet(
    state: &State,
    quoter: &mut Quoter,
    symbol: &str,
    proposal: &desk::Proposal,
) -> Result<MarginSheet, Refusal> {
    let underlying = underlying_of(state, symbol)?;
    let e = evaluate(state, quoter, symbol, proposal)?;
    let basis = basis(state, symbol)
        .ok_or_else(|| Refusal::UnknownSymbol(symbol.to_owned(), String::new()))?;
    let structure = &proposal.structure;
    let markets: Vec<_> = e.legs.iter().map(|l| l.market).collect();
    let added = desk::margined(structure, underlying, &markets);
    let here = holdings_of(state, quoter, symbol);
    let (before, after) = (
        desk::requirement(&here, &basis),
        desk::requirement(&here.with(&added), &basis),
    );
    let sells = structure.options().any(|(_, n)| n < 0);
    let mut points = Vec::new();
    for by in 0..=FARTHEST {
        let Some(there) = (if sells {
            farther(state, symbol, structure, by)
        } else {
            None
        }) else {
            break;
        };
        let proposal = desk::Proposal {
            structure: there,
            entry: desk::EntryPrice::Middle,
            realised: Money::ZERO,
            range: None,
            closing: false,
        };
        let Ok(e) = evaluate(state, quoter, symbol, &proposal) else {
            break;
        };
        let sold = proposal
            .structure
            .options()
            .filter(|(_, n)| *n < 0)
            .map(|(c, _)| desk::strike_label(c.strike));
        points.push(FartherPoint {
            strikes_out: by,
            sold: sold.collect::<Vec<_>>().join(" · "),
            requirement: e.money.alone.total.to_f64(),
            tied_up: e.money.tied_up.to_f64(),
        });
    }
    let EvaluationWire {
        name,
        money: effect,
        ..
    } = evaluation(&e, underlying);
    Ok(MarginSheet {
        name,
        alone: requirement_wire(state, symbol, &e.money.alone),
        money: effect,
        held_before: requirement_wire(state, symbol, &before),
        held_after: requirement_wire(state, symbol, &after),
        farther: points,
        moved: moved(&added, &basis),
    })
}

/// Margin of one underlying in the balance.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct HeldIn {
    /// The symbol of the underlying.
    pub symbol: String,
    /// What it needs.
    pub requirement: RequirementWire,
    /// What it takes of buying power.
    pub takes: String,
    /// The same, each thing that is held taken alone.
    pub leg_by_leg: String,
    /// What combining them saves.
    pub saved: String,
}

/// Where the account stands under the day-trade rule.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct DayTradesWire {
    /// Day trades in the sessions that are looked at.
    pub count: i64,
    /// So many are free.
    pub most: i64,
    /// How many sessions are counted together.
    pub sessions: usize,
    /// Account value that more of them need.
    pub value: String,
    /// They are a pattern.
    pub pattern: bool,
    /// The pattern forbids opening now.
    pub forbids: bool,
    /// "11 Mar, order 40" of each.
    pub trades: Vec<String>,
    /// The rule's first day, and its last if it has one.
    pub from: String,
    /// The last day on which the oldest of them counts.
    pub until: Option<String>,
}

/// If the market moves by so much, everything by its beta.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct BalanceMove {
    /// Move of the index in percent.
    pub percent: f64,
    /// Margin held then.
    pub requirement: String,
    /// Buying power then.
    pub buying_power: String,
}

/// The whole account's money and margin.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct Balance {
    /// The moment of the figures, with its offset.
    pub at: String,
    /// How it is margined.
    pub kind: AccountKindWord,
    /// Level of approval.
    pub level: u8,
    /// What the levels allow, from 0.
    pub levels: Vec<String>,
    /// Cash and positions at their marks.
    pub value: String,
    /// Cash of the account, below zero where it is owed.
    pub cash: String,
    /// Proceeds that are not settled yet.
    pub unsettled: String,
    /// When they are.
    pub settles: String,
    /// Set aside for working orders.
    pub reserved: String,
    /// Margin that the positions tie up, in money.
    pub requirement: String,
    /// For options: what is free.
    pub for_options: String,
    /// For shares: what the free money buys of them.
    pub for_shares: String,
    /// What is missing; absent where nothing is.
    pub deficit: Option<String>,
    /// The same, underlying by underlying.
    pub held: Vec<HeldIn>,
    /// If the market moves.
    pub moved: Vec<BalanceMove>,
    /// Under the day-trade rule in force; absent without one.
    pub day_trades: Option<DayTradesWire>,
    /// Day trades are counted as the dated rules say.
    pub day_trades_by_date: bool,
}

fn held_in(state: &State, quoter: &mut Quoter, symbol: &str, r: &Requirement) -> HeldIn {
    let alone = basis(state, symbol).map_or(Money::ZERO, |b| {
        desk::one_by_one(&holdings_of(state, quoter, symbol), &b)
    });
    HeldIn {
        symbol: symbol.to_owned(),
        requirement: requirement_wire(state, symbol, r),
        takes: money(r.takes()),
        leg_by_leg: money(alone),
        saved: money(alone - r.takes()),
    }
}

/// Builds the balance.
pub fn balance(state: &State, quoter: &mut Quoter) -> Balance {
    let at = state.clock.now;
    let held = requirements(state, quoter);
    let (value, free) = (account_value(state, quoter), buying_power(state, quoter));
    let reserved = usable_cash(state) - held.iter().map(|(_, r)| r.takes()).sum() - free;
    let all: Vec<(desk::MarginHolding, desk::MarginBasis, f64)> = held
        .iter()
        .filter_map(|(symbol, _)| {
            Some((
                holdings_of(state, quoter, symbol),
                basis(state, symbol)?,
                state.world.beta(symbol, at),
            ))
        })
        .collect();
    let moved = MOVES.iter().map(|percent| {
        let then: Vec<Requirement> = all
            .iter()
            .map(|(h, b, beta)| at_move(h, b, (percent / 100.0 * beta).max(-0.95)))
            .collect();
        let taken: Money = then.iter().map(Requirement::takes).sum();
        BalanceMove {
            percent: *percent,
            requirement: money(then.iter().map(|r| r.total).sum()),
            buying_power: money(usable_cash(state) - taken - reserved),
        }
    });
    let day_trades = state
        .day_trade_rule()
        .map(|rule| state.day_trading(rule))
        .map(|t| DayTradesWire {
            count: t.count(),
            most: t.rule.most,
            sessions: t.rule.sessions,
            value: money(t.rule.value),
            pattern: t.is_pattern(),
            forbids: t.forbids_opening(value),
            trades: t
                .trades
                .iter()
                .map(|d| {
                    format!(
                        "{}, order {}{}",
                        desk::short_date(d.date),
                        d.order,
                        if d.count > 1 {
                            format!(", {} legs", d.count)
                        } else {
                            String::new()
                        }
                    )
                })
                .collect(),
            from: t.rule.from.to_string(),
            until: t.rule.until.map(|d| d.to_string()),
        });
    Balance {
        at: at.to_string(),
        kind: state.rules.kind.into(),
        level: state.rules.level,
        levels: desk::LEVELS.map(String::from).to_vec(),
        value: money(value),
        cash: money(state.account.balance(desk::Book::Cash)),
        unsettled: money(state.account.unsettled(at.date())),
        settles: desk::short_date(next_session(at.date())),
        reserved: money(reserved),
        requirement: money(held.iter().map(|(_, r)| r.total).sum()),
        for_options: money(free),
        for_shares: money(state.rules.kind.for_shares(free)),
        deficit: (free < Money::ZERO).then(|| money(-free)),
        held: held
            .iter()
            .map(|(symbol, r)| held_in(state, quoter, symbol, r))
            .collect(),
        moved: moved.collect(),
        day_trades,
        day_trades_by_date: state.day_trades == desk::DayTradeSwitch::ByDate,
    }
}
