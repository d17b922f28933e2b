//! A move as a trader says it.

use std::fmt;

use super::{Part, Rework};
use crate::idea::Place;
use desk::short_date;

impl fmt::Display for Part {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Part::All => f.write_str("everything"),
            Part::Calls => f.write_str("the calls"),
            Part::Puts => f.write_str("the puts"),
            Part::Pressed => f.write_str("the pressed side"),
            Part::Quiet => f.write_str("the quiet side"),
            Part::Leg(c) => write!(f, "the {}", c.label()),
        }
    }
}

/// "1 strike", "3 strikes".
fn strikes(n: i64) -> String {
    let n = n.abs();
    format!("{n} strike{}", if n == 1 { "" } else { "s" })
}

fn higher(n: i64) -> String {
    let way = if n > 0 { "higher" } else { "lower" };
    format!("{} {way}", strikes(n))
}

impl fmt::Display for Rework {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Rework::Roll {
                part,
                expirations: 0,
                strikes,
            } => write!(f, "move {part} {}", higher(*strikes)),
            Rework::Roll {
                part,
                expirations,
                strikes,
            } => {
                let way = if *expirations > 0 { "later" } else { "nearer" };
                let n = expirations.abs();
                let many = if n == 1 { "" } else { "s" };
                write!(f, "roll {part} {n} expiration{many} {way}")?;
                if *strikes == 0 {
                    Ok(())
                } else {
                    write!(f, ", {}", higher(*strikes))
                }
            }
            Rework::To { leg, place } => match place {
                Place::Delta(delta) => write!(f, "move the {} to a delta of {delta}", leg.label()),
                Place::Deviations(k) => write!(f, "move the {} to {k} σ", leg.label()),
                Place::Away(by) => write!(f, "move the {} to {by} from the price", leg.label()),
            },
            Rework::Recentre => f.write_str("centre it at the price"),
            Rework::Closer(n) => write!(f, "bring the quiet side {} closer", strikes(*n)),
            Rework::Close(part) => write!(f, "close {part}"),
            Rework::Widen(n) if *n > 0 => write!(f, "widen the wings by {}", strikes(*n)),
            Rework::Widen(n) => write!(f, "narrow the wings by {}", strikes(*n)),
            Rework::More(n) if *n > 0 => write!(f, "{n} more"),
            Rework::More(n) => write!(f, "{} fewer", n.abs()),
            Rework::Cover { leg, strikes: n } => {
                write!(f, "cover the {} {} farther out", leg.label(), strikes(*n))
            }
            Rework::SellAgainst { leg, delta } => {
                write!(f, "sell a delta of {delta} against the {}", leg.label())
            }
            Rework::Add(legs) => {
                let each: Vec<String> = legs
                    .iter()
                    .map(|l| {
                        let ends = l.instrument.option().map(|c| short_date(c.expiry));
                        let ends = ends.map_or_else(String::new, |d| format!(", {d}"));
                        format!("{:+} × {}{ends}", l.quantity, l.instrument.label())
                    })
                    .collect();
                write!(f, "add {}", each.join(", "))
            }
            Rework::IntoCondor => f.write_str("turn it into an iron condor"),
            Rework::IntoButterfly => f.write_str("turn it into an iron butterfly"),
        }
    }
}
