//! Structures by intention: what a trader wants to happen, and structures that make money when it
//! does, with strikes picked by delta or deviation.
//!
//! Which structures serve which intention and the deltas they usually stand at are common practice.

use quant::Kind;
use serde::{Deserialize, Serialize};

use desk::Contract;
use desk::Price;
use desk::{Holding, Leg};

/// What is wanted to happen.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub enum Intention {
    /// The price rises.
    Rises,
    /// The price falls.
    Falls,
    /// It stays where it is.
    Stays,
    /// It moves hard, whichever way.
    Moves,
    /// Premium comes in.
    Income,
    /// What is held is to be protected.
    Protection,
    /// Options in place of the shares.
    ReplaceStock,
}

impl Intention {
    /// All of them.
    pub const ALL: [Intention; 7] = [
        Intention::Rises,
        Intention::Falls,
        Intention::Stays,
        Intention::Moves,
        Intention::Income,
        Intention::Protection,
        Intention::ReplaceStock,
    ];
}

/// Where a leg is picked.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Place {
    /// Where delta has this size.
    Delta(f64),
    /// So many deviations of the expiration from the price: above for calls and above zero.
    Deviations(f64),
    /// So much from the price, above it or below.
    Away(f64),
}

/// One listed contract as far as picking needs it.
#[derive(Debug, Clone)]
pub struct Candidate {
    /// A listed series that may be a leg.
    pub contract: Contract,
    /// Delta per unit.
    pub delta: f64,
}

/// One expiration to pick from.
#[derive(Debug, Clone)]
pub struct Candidates {
    /// Price of the underlying.
    pub spot: f64,
    /// One deviation of the log price to the expiration.
    pub deviation: f64,
    /// What is listed.
    pub listed: Vec<Candidate>,
}

impl Candidates {
    /// The listed contract of a right nearest to a place; of two as near the lower strike.
    pub fn pick(&self, kind: Kind, place: Place) -> Option<&Contract> {
        let wanted = match place {
            Place::Delta(_) => 0.0,
            Place::Deviations(k) => self.spot * (k * self.deviation).exp(),
            Place::Away(by) => self.spot + by,
        };
        let distance = |c: &Candidate| match place {
            Place::Delta(size) => (c.delta.abs() - size.abs()).abs(),
            _ => (c.contract.strike.to_f64() - wanted).abs(),
        };
        let side = self.listed.iter().filter(|c| c.contract.kind == kind);
        side.min_by(|a, b| {
            distance(a)
                .total_cmp(&distance(b))
                .then(a.contract.strike.cmp(&b.contract.strike))
        })
        .map(|c| &c.contract)
    }

    /// The contract of a right at a strike.
    fn at(&self, kind: Kind, strike: Price) -> Option<&Contract> {
        self.listed
            .iter()
            .map(|c| &c.contract)
            .find(|c| c.kind == kind && c.strike == strike)
    }
}

/// A structure that serves an intention.
#[derive(Debug, Clone, PartialEq)]
pub struct Idea {
    /// What it is for, in a sentence.
    pub why: String,
    /// The legs of one package.
    pub structure: Holding,
    /// Units already held that it is meant to stand on; zero where it stands alone.
    pub on: i64,
}

/// What ideas are made from.
#[derive(Debug, Clone)]
pub struct Material {
    /// The chosen expiration.
    pub near: Candidates,
    /// A later one.
    pub far: Option<Candidates>,
    /// Symbol of the underlying where it can be bought itself.
    pub own: Option<String>,
    /// Units that one option stands for.
    pub lot: i64,
    /// Units already held.
    pub held: i64,
    /// Units of them that calls sold before may take away: no other call is sold on those.
    pub promised: i64,
    /// Units of them that puts bought before already protect.
    pub covered: i64,
}

/// Structures for an intention; those whose strikes fall together are left out. It is long because it is the
/// list of them by intention, each a few lines of its own.
pub fn ideas(intention: Intention, m: &Material) -> Vec<Idea> {
    use Kind::{Call, Put};
    use Place::{Delta, Deviations};
    let near = |kind, place| m.near.pick(kind, place);
    let far = |kind, place| m.far.as_ref().and_then(|f| f.pick(kind, place));
    let own = |quantity| {
        m.own.as_ref().map(|s| Leg {
            instrument: desk::Instrument::Underlying(s.clone()),
            quantity,
        })
    };
    let leg = |c: Option<&Contract>, quantity| c.map(|c| Leg::option(c.clone(), quantity));
    // Whole lots of what is held that no call may take away, that no put protects, and that are both.
    let lot = m.lot.max(1);
    let free = ((m.held - m.promised) / lot).max(0);
    let bare = ((m.held - m.covered) / lot).max(0);
    let both = free.min(bare);
    let mut out = Vec::new();
    let mut on = |units: i64, why: String, legs: Vec<Option<Leg>>| {
        let wanted = legs.len();
        let Some(legs) = legs.into_iter().collect::<Option<Vec<Leg>>>() else {
            return;
        };
        let structure = Holding::new(legs);
        if structure.legs().len() == wanted {
            out.push(Idea {
                why,
                structure,
                on: units,
            });
        }
    };
    let say = |text: &str| text.to_owned();
    match intention {
        Intention::Rises => {
            on(
                0,
                say("The whole rise, for a premium that can be lost"),
                vec![leg(near(Call, Delta(0.5)), 1)],
            );
            on(
                0,
                say("A rise up to the sold strike, for less"),
                vec![
                    leg(near(Call, Delta(0.5)), 1),
                    leg(near(Call, Delta(0.25)), -1),
                ],
            );
            on(
                0,
                say("Paid now, kept unless it falls"),
                vec![
                    leg(near(Put, Delta(0.3)), -1),
                    leg(near(Put, Delta(0.15)), 1),
                ],
            );
            on(
                0,
                say("A rise bought with a promise to buy lower"),
                vec![
                    leg(near(Put, Delta(0.25)), -1),
                    leg(near(Call, Delta(0.25)), 1),
                ],
            );
        }
        Intention::Falls => {
            on(
                0,
                say("The whole fall, for a premium that can be lost"),
                vec![leg(near(Put, Delta(0.5)), 1)],
            );
            on(
                0,
                say("A fall down to the sold strike, for less"),
                vec![
                    leg(near(Put, Delta(0.5)), 1),
                    leg(near(Put, Delta(0.25)), -1),
                ],
            );
            on(
                0,
                say("Paid now, kept unless it rises"),
                vec![
                    leg(near(Call, Delta(0.3)), -1),
                    leg(near(Call, Delta(0.15)), 1),
                ],
            );
        }
        Intention::Stays => {
            on(
                0,
                say("Paid now, kept between the sold strikes"),
                vec![
                    leg(near(Put, Delta(0.1)), 1),
                    leg(near(Put, Delta(0.2)), -1),
                    leg(near(Call, Delta(0.2)), -1),
                    leg(near(Call, Delta(0.1)), 1),
                ],
            );
            let centre = near(Call, Delta(0.5));
            let put = centre.and_then(|c| m.near.at(Put, c.strike));
            on(
                0,
                say("Most where it is now, the loss limited"),
                vec![
                    leg(near(Put, Deviations(-1.0)), 1),
                    leg(put, -1),
                    leg(centre, -1),
                    leg(near(Call, Deviations(1.0)), 1),
                ],
            );
            // Later expirations list fewer strikes: of those in both.
            let shared = m.far.as_ref().and_then(|far| {
                let in_both = |c: &&Candidate| far.at(Call, c.contract.strike).is_some();
                let listed = Candidates {
                    listed: m.near.listed.iter().filter(in_both).cloned().collect(),
                    ..m.near.clone()
                };
                let near = listed.pick(Call, Delta(0.5))?.clone();
                Some((far.at(Call, near.strike)?.clone(), near))
            });
            let (sold, bought) = (
                shared.as_ref().map(|(_, near)| near),
                shared.as_ref().map(|(far, _)| far),
            );
            on(
                0,
                say("The near premium shrinks faster than the later one"),
                vec![leg(sold, -1), leg(bought, 1)],
            );
        }
        Intention::Moves => {
            let centre = near(Call, Delta(0.5));
            let put = centre.and_then(|c| m.near.at(Put, c.strike));
            on(
                0,
                say("Either way, from here"),
                vec![leg(centre, 1), leg(put, 1)],
            );
            on(
                0,
                say("Either way, cheaper, from farther out"),
                vec![
                    leg(near(Call, Delta(0.3)), 1),
                    leg(near(Put, Delta(0.3)), 1),
                ],
            );
            on(
                0,
                say("Either way up to a limit, for less"),
                vec![
                    leg(near(Put, Delta(0.1)), -1),
                    leg(near(Put, Delta(0.25)), 1),
                    leg(near(Call, Delta(0.25)), 1),
                    leg(near(Call, Delta(0.1)), -1),
                ],
            );
        }
        Intention::Income => {
            if free > 0 {
                on(
                    free * m.lot,
                    format!("Premium on {} of the {} you hold", free * m.lot, m.held),
                    vec![leg(near(Call, Delta(0.3)), -free)],
                );
            }
            on(
                0,
                say("Premium for giving up what lies above the strike"),
                vec![own(m.lot), leg(near(Call, Delta(0.3)), -1)],
            );
            on(
                0,
                say("Premium for a promise to buy lower"),
                vec![leg(near(Put, Delta(0.25)), -1)],
            );
            on(
                0,
                say("Premium from both sides, the loss limited"),
                vec![
                    leg(near(Put, Delta(0.1)), 1),
                    leg(near(Put, Delta(0.2)), -1),
                    leg(near(Call, Delta(0.2)), -1),
                    leg(near(Call, Delta(0.1)), 1),
                ],
            );
        }
        Intention::Protection => {
            if bare > 0 {
                let (now, already) = (bare * m.lot, m.covered.min(m.held));
                let rest = match (already, m.held - already - now) {
                    (0, 0) => String::new(),
                    (0, open) => format!("; {open} stay uncovered"),
                    (already, 0) => format!("; {already} have one"),
                    (already, open) => format!("; {already} have one, {open} stay uncovered"),
                };
                on(
                    now,
                    format!("A floor under {now} of the {} you hold{rest}", m.held),
                    vec![leg(near(Put, Delta(0.3)), bare)],
                );
            }
            if both > 0 {
                on(
                    both * m.lot,
                    say("A floor under what you hold, paid with a ceiling"),
                    vec![
                        leg(near(Put, Delta(0.3)), both),
                        leg(near(Call, Delta(0.3)), -both),
                    ],
                );
            }
            on(
                0,
                say("Shares with a floor"),
                vec![own(m.lot), leg(near(Put, Delta(0.3)), 1)],
            );
            on(
                0,
                say("Shares with a floor, paid with a ceiling"),
                vec![
                    own(m.lot),
                    leg(near(Put, Delta(0.3)), 1),
                    leg(near(Call, Delta(0.3)), -1),
                ],
            );
            on(
                0,
                say("A floor down to the sold strike, for less"),
                vec![
                    leg(near(Put, Delta(0.4)), 1),
                    leg(near(Put, Delta(0.15)), -1),
                ],
            );
        }
        Intention::ReplaceStock => {
            on(
                0,
                say("Moves nearly like the shares, for a part of their price"),
                vec![leg(near(Call, Delta(0.8)), 1)],
            );
            let centre = near(Call, Delta(0.5));
            let put = centre.and_then(|c| m.near.at(Put, c.strike));
            on(
                0,
                say("The same as the shares, for their margin"),
                vec![leg(centre, 1), leg(put, -1)],
            );
            on(
                0,
                say("Premium like a covered call's, on a bought call"),
                vec![
                    leg(near(Call, Delta(0.3)), -1),
                    leg(far(Call, Delta(0.8)), 1),
                ],
            );
        }
    }
    out
}
