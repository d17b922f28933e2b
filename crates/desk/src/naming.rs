//! Names of structures: how people confirm that they built what they meant.
//!
//! Recognition works on the unit package of one expiration (with shares or a future against it too,
//! and on calendars and diagonals of two), top-down, first hit wins; a mirrored sign vector is the
//! opposite side. Names are presentation only: profit and margin never read them. The patterns are
//! the trade's own (common practice).

use std::cmp::Ordering;

use quant::Kind;

use crate::contract::Contract;
use crate::holding::Holding;
use crate::number::{Money, Price};
use crate::underlying::{Underlying, UnderlyingKind};

/// Whether a structure by its nature is paid for or paid out.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Nature {
    /// Normally costs money.
    Debit,
    /// Normally brings money in.
    Credit,
    /// Depends on the strikes.
    Either,
}

/// The kinds of structures that rules and lists tell apart.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Structure {
    /// One option alone, bought or sold.
    Single,
    /// Two strikes of one right, one bought and one sold.
    Vertical,
    /// Three strikes, the middle one twice, iron ones among them.
    Butterfly,
    /// Four strikes, iron ones among them.
    Condor,
    /// A call and a put, both bought or both sold.
    Strangle,
    /// More of one side than of the other.
    Ratio,
    /// One strike in two expirations, one bought and one sold.
    Calendar,
    /// Shares or futures with options against them.
    Covered,
    /// Shares or futures alone.
    Shares,
    /// Legs that no listed name describes.
    Other,
}

impl Structure {
    /// All of them.
    pub const ALL: [Structure; 10] = [
        Structure::Single,
        Structure::Vertical,
        Structure::Butterfly,
        Structure::Condor,
        Structure::Strangle,
        Structure::Ratio,
        Structure::Calendar,
        Structure::Covered,
        Structure::Shares,
        Structure::Other,
    ];

    /// The word for it, in files and on screens.
    pub fn word(self) -> &'static str {
        match self {
            Structure::Single => "single option",
            Structure::Vertical => "vertical",
            Structure::Butterfly => "butterfly",
            Structure::Condor => "condor",
            Structure::Strangle => "straddle or strangle",
            Structure::Ratio => "ratio spread",
            Structure::Calendar => "calendar or diagonal",
            Structure::Covered => "position with its underlying",
            Structure::Shares => "position in the underlying alone",
            Structure::Other => "structure of another kind",
        }
    }

    /// By its word.
    pub fn of_word(word: &str) -> Option<Structure> {
        Structure::ALL.into_iter().find(|s| s.word() == word)
    }

    /// The kind of what is held.
    pub fn of(holding: &Holding, underlying: &Underlying) -> Structure {
        let options = holding.options().count();
        match (holding.underlying_quantity() != 0, options) {
            (true, 0) => return Structure::Shares,
            (true, _) => return Structure::Covered,
            (false, 1) => return Structure::Single,
            (false, _) => {}
        }
        if !holding.is_one_expiration() {
            return Structure::Calendar;
        }
        let name = recognise(holding, underlying).text;
        let is = |words: &[&str]| words.iter().any(|w| name.contains(w));
        if is(&[
            "short put with",
            "long put with",
            "short call with",
            "long call with",
        ]) {
            Structure::Other
        } else if is(&["vertical"]) {
            Structure::Vertical
        } else if is(&["butterfly", "Christmas tree"]) {
            Structure::Butterfly
        } else if is(&["condor"]) {
            Structure::Condor
        } else if is(&["straddle", "strangle", "guts", "strip", "strap"]) {
            Structure::Strangle
        } else if is(&["ratio", "backspread", "ladder"]) {
            Structure::Ratio
        } else {
            Structure::Other
        }
    }
}

/// A recognised structure.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Name {
    /// Lower case, e.g. "bear call vertical"; "custom" if no pattern fits.
    pub text: String,
    /// What its direction implies.
    pub nature: Nature,
}

fn name(text: impl Into<String>, nature: Nature) -> Option<Name> {
    Some(Name {
        text: text.into(),
        nature,
    })
}

/// "long …" costs, "short …" pays.
fn sided(long: bool, what: &str) -> Option<Name> {
    if long {
        name(format!("long {what}"), Nature::Debit)
    } else {
        name(format!("short {what}"), Nature::Credit)
    }
}

fn word(kind: Kind) -> &'static str {
    if kind == Kind::Call { "call" } else { "put" }
}

type Rung = (Price, i64);

/// The name of a structure of any size; ratios, not quantities, decide.
pub fn recognise(structure: &Holding, underlying: &Underlying) -> Name {
    let options: Vec<(Contract, i64)> = structure
        .unit()
        .options()
        .map(|(c, n)| (c.clone(), n))
        .collect();
    let found = match structure.unit().underlying_quantity() {
        0 if structure.is_one_expiration() => one_expiration(&options),
        0 => two_expirations(&options),
        held => with_underlying(&options, held, underlying),
    };
    found.unwrap_or(Name {
        text: "custom".into(),
        nature: Nature::Either,
    })
}

/// The underlying, alone or with options of one expiration against it.
fn with_underlying(
    options: &[(Contract, i64)],
    held: i64,
    underlying: &Underlying,
) -> Option<Name> {
    let what = if underlying.settles_daily() {
        "future"
    } else {
        "shares"
    };
    let lot = underlying.lot();
    // On how many of the units that are held an option stands.
    let on_part = |n: i64| {
        if n.abs() * lot < held.abs() {
            format!(" on part of the {what}")
        } else {
            String::new()
        }
    };
    let covers = |n: i64| n.abs() * lot <= held.abs();
    match options {
        [] => name(
            format!("{} {what}", if held > 0 { "long" } else { "short" }),
            Nature::Either,
        ),
        [(c, n)] if covers(*n) => {
            let text = match (held > 0, c.kind, *n > 0) {
                (true, Kind::Call, false) => "covered call",
                (true, Kind::Put, true) => "protective put",
                (false, Kind::Put, false) => "covered put",
                (false, Kind::Call, true) => "protective call",
                _ => return None,
            };
            name(format!("{text}{}", on_part(*n)), Nature::Either)
        }
        [(a, n), (b, m)]
            if a.expiry == b.expiry && a.kind != b.kind && n.abs() == m.abs() && covers(*n) =>
        {
            let ((put, puts), (call, calls)) = if a.kind == Kind::Put {
                ((a, *n), (b, *m))
            } else {
                ((b, *m), (a, *n))
            };
            let collared = held > 0 && puts > 0 && calls < 0 || held < 0 && puts < 0 && calls > 0;
            let text = match (collared, put.strike.cmp(&call.strike)) {
                (true, Ordering::Less) => "collar",
                (true, Ordering::Equal) => {
                    if held > 0 {
                        "conversion"
                    } else {
                        "reversal"
                    }
                }
                (false, Ordering::Less) if held > 0 && puts < 0 && calls < 0 => "covered strangle",
                (false, Ordering::Equal) if held > 0 && puts < 0 && calls < 0 => "covered straddle",
                _ => return None,
            };
            name(format!("{text}{}", on_part(*n)), Nature::Either)
        }
        _ => None,
    }
}

fn one_expiration(legs: &[(Contract, i64)]) -> Option<Name> {
    let side = |kind| -> Vec<Rung> {
        legs.iter()
            .filter(|(c, _)| c.kind == kind)
            .map(|(c, n)| (c.strike, *n))
            .collect()
    };
    let (calls, puts) = (side(Kind::Call), side(Kind::Put));
    match (calls.as_slice(), puts.as_slice()) {
        (rungs, []) => same_kind(Kind::Call, rungs),
        ([], rungs) => same_kind(Kind::Put, rungs),
        (&[c], &[p]) => call_and_put(c, p),
        (&[c1, c2], &[p]) => three_legged(c1, c2, p),
        (&[c], &[p1, p2]) => three_legged_put(c, p1, p2),
        (&[c1, c2], &[p1, p2]) => four_mixed(c1, c2, p1, p2),
        _ => None,
    }
}

fn same_kind(kind: Kind, rungs: &[Rung]) -> Option<Name> {
    let w = word(kind);
    let strikes: Vec<Price> = rungs.iter().map(|r| r.0).collect();
    // Puts are mirrored on the price axis, so that one set of patterns reads both.
    let quantities: Vec<i64> = rungs.iter().map(|r| r.1).collect();
    let inward: Vec<i64> = if kind == Kind::Call {
        quantities.clone()
    } else {
        quantities.iter().rev().copied().collect()
    };
    match (quantities.as_slice(), inward.as_slice()) {
        ([q], _) => sided(*q > 0, w),
        (_, [1, -1]) => name(
            if kind == Kind::Call {
                "bull call vertical"
            } else {
                "bear put vertical"
            },
            Nature::Debit,
        ),
        (_, [-1, 1]) => name(
            if kind == Kind::Call {
                "bear call vertical"
            } else {
                "bull put vertical"
            },
            Nature::Credit,
        ),
        (_, [a, b]) if *a > 0 && *b < 0 && -b > *a => {
            name(format!("{w} ratio spread {a}×{}", -b), Nature::Either)
        }
        (_, [a, b]) if *a < 0 && *b > 0 && *b > -a => {
            name(format!("{w} backspread {}×{b}", -a), Nature::Either)
        }
        ([s @ (1 | -1), m, t], _) if *m == -2 * s && s == t => {
            let long = *s > 0;
            if strikes[1] - strikes[0] == strikes[2] - strikes[1] {
                sided(long, &format!("{w} butterfly"))
            } else {
                name(
                    format!(
                        "{} broken-wing {w} butterfly",
                        if long { "long" } else { "short" }
                    ),
                    Nature::Either,
                )
            }
        }
        (_, [1, -1, -1]) => name(format!("{w} ladder"), Nature::Either),
        (_, [-1, 1, 1]) => name(format!("short {w} ladder"), Nature::Either),
        (_, [1, -3, 2] | [2, -3, 1]) => sided(true, &format!("{w} Christmas tree")),
        (_, [-1, 3, -2] | [-2, 3, -1]) => sided(false, &format!("{w} Christmas tree")),
        ([1, -1, -1, 1] | [-1, 1, 1, -1], _) => {
            let long = quantities[0] > 0;
            if strikes[1] - strikes[0] == strikes[3] - strikes[2] {
                sided(long, &format!("{w} condor"))
            } else {
                name(
                    format!(
                        "{} broken-wing {w} condor",
                        if long { "long" } else { "short" }
                    ),
                    Nature::Either,
                )
            }
        }
        _ => None,
    }
}

fn call_and_put((kc, qc): Rung, (kp, qp): Rung) -> Option<Name> {
    match (qc, qp) {
        (1, 1) | (-1, -1) if kc == kp => sided(qc > 0, "straddle"),
        (1, 1) | (-1, -1) if kp < kc => sided(qc > 0, "strangle"),
        (1, 1) | (-1, -1) => sided(qc > 0, "guts"),
        (1, 2) | (-1, -2) if kc == kp => sided(qc > 0, "strip"),
        (2, 1) | (-2, -1) if kc == kp => sided(qc > 0, "strap"),
        (1, -1) if kc == kp => name("synthetic long stock", Nature::Either),
        (-1, 1) if kc == kp => name("synthetic short stock", Nature::Either),
        (1, -1) if kp < kc => name("bullish risk reversal", Nature::Either),
        (-1, 1) if kp < kc => name("bearish risk reversal", Nature::Either),
        _ => None,
    }
}

fn three_legged((k1, q1): Rung, (_, q2): Rung, (kp, qp): Rung) -> Option<Name> {
    match (q1, q2, qp) {
        (-1, 1, -1) if kp < k1 => name("short put with bear call vertical", Nature::Credit),
        (1, -1, 1) if kp < k1 => name("long put with bull call vertical", Nature::Debit),
        _ => None,
    }
}

fn three_legged_put((kc, qc): Rung, (_, q1): Rung, (k2, q2): Rung) -> Option<Name> {
    match (qc, q1, q2) {
        (-1, 1, -1) if k2 < kc => name("short call with bull put vertical", Nature::Credit),
        (1, -1, 1) if k2 < kc => name("long call with bear put vertical", Nature::Debit),
        _ => None,
    }
}

fn four_mixed((c1, qc1): Rung, (c2, qc2): Rung, (p1, qp1): Rung, (p2, qp2): Rung) -> Option<Name> {
    match (qc1, qc2, qp1, qp2) {
        (1, -1, -1, 1) if (c1, c2) == (p1, p2) => name("long box", Nature::Debit),
        (-1, 1, 1, -1) if (c1, c2) == (p1, p2) => name("short box", Nature::Credit),
        (-1, 1, 1, -1) | (1, -1, -1, 1) if p2 <= c1 => {
            let equal = c2 - c1 == p2 - p1;
            let what = match (p2 == c1, equal) {
                (true, true) => "iron butterfly",
                (true, false) => "broken-wing iron butterfly",
                (false, true) => "iron condor",
                (false, false) => "unbalanced iron condor",
            };
            if qc1 < 0 {
                name(what, Nature::Credit)
            } else {
                name(format!("reverse {what}"), Nature::Debit)
            }
        }
        _ => None,
    }
}

fn two_expirations(legs: &[(Contract, i64)]) -> Option<Name> {
    match legs {
        [a, b] => one_calendar(a, b),
        // One of calls and one of puts over the same two dates, the same way round.
        [_, _, _, _] => {
            let of = |kind| {
                legs.iter()
                    .filter(|(c, _)| c.kind == kind)
                    .collect::<Vec<_>>()
            };
            let (calls, puts) = (of(Kind::Call), of(Kind::Put));
            let ([c1, c2], [p1, p2]) = (calls.as_slice(), puts.as_slice()) else {
                return None;
            };
            if (c1.0.expiry, c2.0.expiry) != (p1.0.expiry, p2.0.expiry) || c1.1 != p1.1 {
                return None;
            }
            let (call, put) = (one_calendar(c1, c2)?, one_calendar(p1, p2)?);
            let what = if call.text.ends_with("calendar") && put.text.ends_with("calendar") {
                "double calendar"
            } else {
                "double diagonal"
            };
            let long = c2.1 > 0;
            Some(Name {
                text: format!("{} {what}", if long { "long" } else { "short" }),
                nature: if long { Nature::Debit } else { Nature::Either },
            })
        }
        _ => None,
    }
}

fn one_calendar((near, sold): &(Contract, i64), (far, bought): &(Contract, i64)) -> Option<Name> {
    if near.kind != far.kind || near.expiry == far.expiry || sold * bought != -1 {
        return None;
    }
    let w = word(near.kind);
    let long = *bought > 0;
    if near.strike == far.strike {
        sided(long, &format!("{w} calendar"))
    } else {
        name(
            format!("{} {w} diagonal", if long { "long" } else { "short" }),
            if long { Nature::Debit } else { Nature::Either },
        )
    }
}

/// Delta and life from which a bought call stands in for the shares (common practice).
const LIKE_STOCK: (f64, i64) = (0.70, 180);

/// The name where account and market make a difference: a sold put with its whole strike in cash, a
/// bought call that moves like the shares. `delta` is of the first leg per unit, `free` is cash of
/// one's own that nothing else needs: what could be borrowed secures nothing.
pub(crate) fn in_place(
    plain: Name,
    structure: &Holding,
    underlying: &Underlying,
    (delta, days): (f64, i64),
    free: Money,
) -> Name {
    let Some((contract, quantity)) = structure
        .options()
        .next()
        .filter(|_| structure.legs().len() == 1)
    else {
        return plain;
    };
    let secured = contract.strike.times(-quantity * underlying.multiplier);
    match plain.text.as_str() {
        "short put" if !underlying.settles_daily() && free >= secured => Name {
            text: "cash-secured put".into(),
            ..plain
        },
        "long call"
            if underlying.kind == UnderlyingKind::Shares
                && delta >= LIKE_STOCK.0
                && days >= LIKE_STOCK.1 =>
        {
            Name {
                text: "stock-replacement call".into(),
                ..plain
            }
        }
        _ => plain,
    }
}
