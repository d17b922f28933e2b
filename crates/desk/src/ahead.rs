//! What is coming of itself, in words with figures: exercise, assignment, settlement, the end.
//!
//! When a sold option is likely to be assigned before its end is common practice: a call whose time
//! value is less than the dividend before it, a put worth no more than its exercise. The chances
//! tonight are the exchange's own.

use std::fmt;

use jiff::civil::Date;
use quant::{Kind, Style};

use crate::contract::Contract;
use crate::number::{Money, Price};
use crate::time::{Moment, short_date};
use crate::underlying::{Settlement, Underlying, UnderlyingKind};

/// An option that is held, as far as its end matters.
#[derive(Debug, Clone)]
pub struct AheadLeg {
    /// The listed series that is held.
    pub contract: Contract,
    /// Contracts held, below zero where they were sold.
    pub quantity: i64,
    /// When it ends.
    pub ends: Moment,
    /// Sessions that are left of it, the one of now included.
    pub sessions: i64,
    /// Its mark per unit: the middle of its market, or what its neighbours say.
    pub mark: Price,
    /// One deviation of the price by its end.
    pub expected_move: f64,
    /// Chance that a holder exercises it tonight if the price closes here; none where nobody would.
    pub tonight: Option<f64>,
    /// Its holder said that it is not to be exercised.
    pub declined: bool,
}

/// A campaign and what is known of its underlying.
#[derive(Debug, Clone)]
pub struct AheadView<'a> {
    /// The moment from which one looks ahead.
    pub at: Moment,
    /// The underlying that the options are on.
    pub underlying: &'a Underlying,
    /// Its price at that moment, per unit.
    pub spot: Price,
    /// Shares or futures held, signed.
    pub held: i64,
    /// Options held, each series once.
    pub legs: Vec<AheadLeg>,
    /// The next dividend: its ex-date, and cash on a share.
    pub dividend: Option<(Date, Price)>,
    /// Cash of the account.
    pub cash: Money,
}

/// One thing that is coming.
#[derive(Debug, Clone, PartialEq)]
pub enum Ahead {
    /// What the first end brings if the price stays where it is.
    AtTheEnd {
        /// The day of the event.
        date: Date,
        /// At which price, as its market writes it.
        spot: String,
        /// Options that are exercised, assigned or settled, signed as they are held.
        inside: Vec<(Contract, i64)>,
        /// Units of the underlying held then, signed, where any change hands.
        units: Option<(i64, UnderlyingKind)>,
        /// Cash that comes in; below zero: is paid.
        cash: Money,
    },
    /// A sold strike within half an expected move in its last two sessions.
    CoinToss {
        /// The series that ends.
        contract: Contract,
        /// Contracts held, below zero where they were sold.
        quantity: i64,
        /// From the price to the strike, as its market writes it.
        away: String,
        /// One deviation by then.
        expected_move: f64,
        /// Shares or futures change hands where it ends in the money.
        delivers: bool,
    },
    /// A sold call in the money whose time value is less than the dividend before its end.
    Dividend {
        /// The sold call that is likely to be exercised early.
        contract: Contract,
        /// Contracts held; sold ones, so below zero.
        quantity: i64,
        /// The first day on which who buys the shares gets no dividend.
        ex: Date,
        /// On a share.
        cash: Price,
        /// Time value per unit.
        time_value: Price,
        /// Chance of assignment tonight, where it is tomorrow.
        tonight: Option<f64>,
    },
    /// A sold put worth no more than its exercise.
    AtExercise {
        /// The sold put that is likely to be exercised early.
        contract: Contract,
        /// Contracts held; sold ones, so below zero.
        quantity: i64,
        /// Chance of assignment tonight.
        tonight: f64,
    },
    /// A bought option in the money in its last week.
    Exercise {
        /// The sold option that its holder may exercise for being worth no more than exercise.
        contract: Contract,
        /// Contracts that may be assigned, above zero.
        quantity: i64,
        /// Per unit in the money.
        inside: Price,
        /// Its holder said that it is not to be exercised.
        declined: bool,
    },
    /// A future that trades for the last time.
    LastDay {
        /// The future that trades for the last time.
        symbol: String,
        /// The day of its last session.
        date: Date,
    },
    /// What sold puts that may be assigned would need.
    CashNeeded {
        /// Money that is needed and not there, above zero.
        needed: Money,
        /// Cash of the account.
        there: Money,
    },
}

/// Days before its end from which a holder is asked about exercise, and a future's last day is told.
pub const LAST_WEEK: i64 = 7;
/// A sold strike this part of an expected move away, in so many last sessions, is a coin toss.
const NEAR: f64 = 0.5;
const LAST_SESSIONS: i64 = 2;
/// What is in the money by so little is exercised.
const EXERCISED: Price = Price::cents(1);

impl Ahead {
    /// The contract it is about, where it is one.
    pub fn contract(&self) -> Option<&Contract> {
        match self {
            Ahead::CoinToss { contract, .. }
            | Ahead::Dividend { contract, .. }
            | Ahead::AtExercise { contract, .. }
            | Ahead::Exercise { contract, .. } => Some(contract),
            Ahead::AtTheEnd { .. } | Ahead::LastDay { .. } | Ahead::CashNeeded { .. } => None,
        }
    }

    /// Whether it asks for a decision, not only for notice.
    pub fn presses(&self) -> bool {
        match self {
            Ahead::AtTheEnd { .. } | Ahead::LastDay { .. } => false,
            Ahead::CashNeeded { needed, there } => needed > there,
            _ => true,
        }
    }
}

fn inside(c: &Contract, spot: Price) -> Price {
    match c.kind {
        Kind::Call => spot - c.strike,
        Kind::Put => c.strike - spot,
    }
}

/// What is coming, the most pressing first.
pub fn ahead(view: &AheadView<'_>) -> Vec<Ahead> {
    let u = view.underlying;
    let delivers = u.settlement == Settlement::Delivery;
    let mut out = Vec::new();
    let mut needed = Money::ZERO;
    for leg in &view.legs {
        let (contract, quantity) = (leg.contract.clone(), leg.quantity);
        let inside = inside(&contract, view.spot);
        let near = inside.abs().to_f64() <= NEAR * leg.expected_move;
        let toss = quantity < 0 && leg.sessions <= LAST_SESSIONS && near;
        let before = view.dividend.filter(|(ex, _)| *ex <= leg.contract.expiry);
        let time_value = (leg.mark - inside.max(Price::ZERO)).max(Price::ZERO);
        let assigned = quantity < 0 && delivers && u.style == Style::American;
        if toss {
            out.push(Ahead::CoinToss {
                contract: contract.clone(),
                quantity,
                away: u.style_of_price.write(inside.abs()),
                expected_move: leg.expected_move,
                delivers,
            });
        }
        match (before, contract.kind) {
            (Some((ex, cash)), Kind::Call)
                if assigned && inside > Price::ZERO && time_value < cash =>
            {
                out.push(Ahead::Dividend {
                    contract: contract.clone(),
                    quantity,
                    ex,
                    cash,
                    time_value,
                    tonight: leg.tonight,
                });
            }
            _ => {}
        }
        if let (true, Kind::Put, Some(tonight)) = (assigned, contract.kind, leg.tonight) {
            out.push(Ahead::AtExercise {
                contract: contract.clone(),
                quantity,
                tonight,
            });
        }
        let asked = quantity > 0 && view.at.days_until(contract.expiry) <= LAST_WEEK;
        if asked && delivers && inside >= EXERCISED {
            out.push(Ahead::Exercise {
                contract: contract.clone(),
                quantity,
                inside,
                declined: leg.declined,
            });
        }
        let may_be = inside >= EXERCISED || toss;
        if quantity < 0 && delivers && contract.kind == Kind::Put && may_be {
            needed += contract.strike.times(-quantity * u.multiplier);
        }
    }
    if needed > Money::ZERO && u.kind == UnderlyingKind::Shares {
        out.push(Ahead::CashNeeded {
            needed,
            there: view.cash,
        });
    }
    out.extend(at_the_end(view));
    let last = u
        .last_session
        .filter(|d| view.at.days_until(*d) <= LAST_WEEK);
    if let (Some(date), true) = (last, view.held != 0) {
        out.push(Ahead::LastDay {
            symbol: u.symbol.clone(),
            date,
        });
    }
    out.sort_by_key(|a| !a.presses());
    out
}

/// What the first end brings if the price stays where it is.
fn at_the_end(view: &AheadView<'_>) -> Option<Ahead> {
    let u = view.underlying;
    let first = view.legs.iter().map(|l| l.ends).min()?;
    let ending = || view.legs.iter().filter(|l| l.ends == first);
    let exercised = |l: &&AheadLeg| {
        let declines = l.quantity > 0 && l.declined;
        inside(&l.contract, view.spot) >= EXERCISED && !declines
    };
    let (mut units, mut cash, mut all) = (view.held, Money::ZERO, Vec::new());
    for leg in ending().filter(exercised) {
        let bought = match leg.contract.kind {
            Kind::Call => leg.quantity,
            Kind::Put => -leg.quantity,
        };
        all.push((leg.contract.clone(), leg.quantity));
        match (u.settlement, u.kind) {
            (Settlement::Cash, _) => {
                cash += inside(&leg.contract, view.spot).times(leg.quantity * u.multiplier);
            }
            (Settlement::Delivery, UnderlyingKind::Future) => units += bought,
            (Settlement::Delivery, _) => {
                units += bought * u.lot();
                cash -= leg.contract.strike.times(bought * u.multiplier);
            }
        }
    }
    let changes = !all.is_empty() && u.settlement == Settlement::Delivery;
    Some(Ahead::AtTheEnd {
        date: first.date(),
        spot: u.style_of_price.write(view.spot),
        inside: all,
        units: changes.then_some((units, u.kind)),
        cash,
    })
}

/// "1 × 190 put, 18 Apr".
fn dated(contract: &Contract, quantity: i64) -> String {
    let ends = short_date(contract.expiry);
    format!("{}, {ends}", counted(contract, quantity))
}

/// "1 × 190 put".
fn counted(contract: &Contract, quantity: i64) -> String {
    format!("{} × {}", quantity.abs(), contract.label())
}

fn percent(chance: f64) -> String {
    format!("{:.0} %", 100.0 * chance)
}

/// What ends, what is held then, and the money that moves.
fn write_the_end(
    f: &mut fmt::Formatter<'_>,
    inside: &[(Contract, i64)],
    units: Option<(i64, UnderlyingKind)>,
    cash: Money,
) -> fmt::Result {
    if inside.is_empty() {
        return f.write_str("all that ends there expires worthless.");
    }
    for (i, (contract, quantity)) in inside.iter().enumerate() {
        let how = match (units, quantity.signum()) {
            (None, _) => "settled",
            (_, 1) => "exercised",
            _ => "assigned",
        };
        let comma = if i == 0 { "" } else { ", " };
        write!(f, "{comma}{} {how}", counted(contract, *quantity))?;
    }
    match units {
        Some((0, kind)) => write!(f, "; no {} is left", kind.unit())?,
        Some((n, kind)) => {
            let (held, many) = (kind.counted(n), n.abs() != 1);
            let are = if many { "are" } else { "is" };
            let how = if n > 0 { "held" } else { "sold short" };
            write!(f, "; then {held} {are} {how}")?;
        }
        None => {}
    }
    match cash.cmp(&Money::ZERO) {
        std::cmp::Ordering::Greater => write!(f, ", {} comes in.", cash.grouped()),
        std::cmp::Ordering::Less => write!(f, ", {} is paid.", (-cash).grouped()),
        std::cmp::Ordering::Equal => f.write_str("."),
    }
}

impl fmt::Display for Ahead {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Ahead::AtTheEnd {
                date,
                spot,
                inside,
                units,
                cash,
            } => {
                write!(f, "If the price is still {spot} on {}: ", short_date(*date))?;
                write_the_end(f, inside, *units, *cash)
            }
            Ahead::CoinToss {
                contract,
                quantity,
                away,
                expected_move,
                delivers,
            } => write!(
                f,
                "Sold {}: the price is {away} from the strike and moves about {expected_move:.2} \
                 by its end: a toss of a coin whether it {}.",
                dated(contract, *quantity),
                if *delivers {
                    "is assigned"
                } else {
                    "ends in the money"
                },
            ),
            Ahead::Dividend {
                contract,
                quantity,
                ex,
                cash,
                time_value,
                tonight,
            } => {
                write!(
                    f,
                    "Sold {}: its time value of {} is less than the dividend of {cash} on {}: it \
                     is likely to be assigned the night before",
                    dated(contract, *quantity),
                    time_value.fixed(2),
                    short_date(*ex),
                )?;
                match tonight {
                    Some(chance) => write!(f, ", tonight with {}.", percent(*chance)),
                    None => f.write_str("."),
                }
            }
            Ahead::AtExercise {
                contract,
                quantity,
                tonight,
            } => write!(
                f,
                "Sold {}: it is worth no more than its exercise and may be assigned any night, \
                 tonight with {}.",
                dated(contract, *quantity),
                percent(*tonight),
            ),
            Ahead::Exercise {
                contract,
                quantity,
                inside,
                declined,
            } => {
                write!(
                    f,
                    "Bought {}: {} in the money; ",
                    dated(contract, *quantity),
                    inside.fixed(2)
                )?;
                f.write_str(if *declined {
                    "it is left to expire, as you said."
                } else {
                    "it is exercised at its end unless you say otherwise or sell it."
                })
            }
            Ahead::LastDay { symbol, date } => write!(
                f,
                "{symbol} trades for the last time on {}: what is held of it ends there.",
                short_date(*date)
            ),
            Ahead::CashNeeded { needed, there } => write!(
                f,
                "If its sold puts are assigned, {} is needed; {} of cash is there.",
                needed.grouped(),
                there.grouped()
            ),
        }
    }
}
