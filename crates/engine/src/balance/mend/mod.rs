//! Mend: over what is listed on baskets, and over the campaigns held, the smallest changes that bring
//! the chosen book where it should be.

mod changes;
mod ground;
mod trades;

use desk::book::mend::{Bands, Goal, Least, Mending, Prospect, Stance, mend};
use desk::book::{STRESS_ANSWER, STRESS_MOVES};
use desk::{Contract, Holding, Instrument, Leg, Money};
use market::Quoter;
use rayon::prelude::*;

use self::changes::{changes, risk_in_full};
use self::ground::{Ground, One};
use self::trades::{grounds_of, itself, listed_on, of_one_side, words_of};
use super::{BookMemo, Chosen, ItemLooked, Lens, LookWanted, Source, items, worked};
use crate::money::buying_power;
use crate::refusal::Refusal;
use crate::state::State;

/// What is asked.
#[derive(Debug, Clone)]
pub struct MendAsked {
    /// Where the book should be.
    pub goal: Goal,
    /// The sector that a goal about one is of.
    pub sector: Option<String>,
    /// What the best is measured by.
    pub least: Least,
    /// The trader's own bands.
    pub bands: Bands,
    /// Over these; empty: over all baskets.
    pub symbols: Vec<String>,
    /// Calendar days to the expirations that are looked at, from and to.
    pub days: (i64, i64),
    /// The most packages that a change may have.
    pub most: i64,
    /// Options sold with nothing that covers them are looked at too, where the account allows it.
    pub uncovered: bool,
}

/// What can be done.
#[derive(Debug, Clone, PartialEq)]
pub enum Remedy {
    /// Something is bought or sold: so many packages of these legs.
    Trade {
        /// The symbol of the underlying that it is on.
        symbol: String,
        /// The legs of one package of it.
        unit: Holding,
        /// "buy the put 2,750, 18 Apr".
        words: String,
    },
    /// A campaign is changed.
    Change {
        /// The number of the campaign that is closed or changed.
        campaign: u64,
        /// What it is on.
        symbol: String,
        /// What it holds afterwards.
        then: Holding,
        /// "close the calls".
        words: String,
    },
}

/// A remedy with what it does.
#[derive(Debug, Clone)]
pub struct Mended {
    /// What is done.
    pub remedy: Remedy,
    /// How much of it, and the book afterwards.
    pub mending: Mending<()>,
    /// Cash of it at the middle, received above zero, before fees.
    pub cash: Money,
}

/// What was found.
#[derive(Debug, Clone)]
pub struct Remedies {
    /// The book as it is.
    pub book: Stance,
    /// How far it is from the goal; 0: it is there.
    pub away: f64,
    /// Candidates looked at.
    pub looked: usize,
    /// How many of them not even one package of is within the buying power.
    pub beyond: usize,
    /// How many reach the goal.
    pub reach: usize,
    /// The best, the best first: what is bought or sold, then what is done with campaigns.
    pub best: Vec<Mended>,
    /// What was looked over.
    pub symbols: Vec<String>,
}

/// So many are listed: of what is bought or sold, and of what is done with campaigns.
const SHOWN: usize = 10;
const SHOWN_CHANGES: usize = 6;

/// A candidate before it is worded: legs by place in its ground's list, or a change by number.
#[derive(Debug, Clone, Copy)]
enum Pick {
    Legs {
        ground: usize,
        legs: [(usize, i64); 2],
        two: bool,
    },
    Itself {
        ground: usize,
        quantity: i64,
    },
    Change(usize),
}

/// An underlying with what one of each of its options adds to the book.
type Quoted<'a> = (Ground<'a>, Vec<(Contract, One)>);

/// Where the chosen part of the book stands.
fn stance_of(looked: &[ItemLooked], asked: &MendAsked) -> Stance {
    let mut book = Stance {
        moves: vec![0.0; STRESS_MOVES.len()],
        ..Stance::default()
    };
    for l in looked.iter().filter(|l| l.item.on) {
        let sector = asked.sector.is_some() && l.item.sector == asked.sector;
        let risk = l.worked.risk.to_f64();
        let adds = Stance {
            lean: l.worked.index.delta,
            theta: l.worked.greeks.theta,
            vega: l.worked.greeks.vega,
            moves: l.worked.moves.clone(),
            capital: risk,
            sector: if sector { risk } else { 0.0 },
        };
        book = book.with(&adds, 1.0);
    }
    book
}

/// Every underlying that may be traded, with its options.
fn grounds_with_ones<'a>(
    state: &'a State,
    quoter: &mut Quoter,
    (lens, index): (&Lens, f64),
    asked: &MendAsked,
    symbols: &[String],
) -> Result<Vec<Quoted<'a>>, Refusal> {
    let mut grounds = Vec::new();
    for symbol in symbols {
        let ground = Ground::of(state, lens, index, symbol);
        let ground = ground.ok_or_else(|| Refusal::UnknownSymbol(symbol.clone(), String::new()))?;
        let listed = listed_on(state, quoter, &ground, asked.days);
        let ones: Vec<(Contract, One)> = listed
            .into_par_iter()
            .filter_map(|(c, market)| {
                let adds = ground.one(state, &Instrument::Option(c.clone()), &market)?;
                Some((c, One { adds, market }))
            })
            .collect();
        grounds.push((ground, ones));
    }
    Ok(grounds)
}

/// Places of the options of one expiration, root and right, which stand together in the list.
fn sides_of(ones: &[(Contract, One)]) -> Vec<std::ops::Range<usize>> {
    let mut ranges = Vec::new();
    let mut from = 0;
    let one_side =
        |a: &Contract, b: &Contract| a.expiry == b.expiry && a.root == b.root && a.kind == b.kind;
    for side in ones.chunk_by(|(a, _), (b, _)| one_side(a, b)) {
        ranges.push(from..from + side.len());
        from += side.len();
    }
    ranges
}

/// Leaves what a buying power bears, as many packages as it bears.
fn keep_within(candidates: &mut Vec<Prospect<Pick>>, free: f64) {
    candidates.retain_mut(|c| {
        if c.adds.capital > 0.0 {
            c.most = c.most.min((free / c.adds.capital) as i64);
        }
        c.most >= 1
    });
}

/// Options that are bought or sold, and the cash that moves.
fn trade_of_legs(
    g: &Ground<'_>,
    ones: &[(Contract, One)],
    legs: &[(usize, i64)],
    packages: i64,
) -> (Remedy, Money) {
    let all = legs
        .iter()
        .map(|(i, q)| Leg::option(ones[*i].0.clone(), *q));
    let unit = Holding::new(all);
    let paid: Money = legs
        .iter()
        .map(|(i, q)| {
            let mark = ones[*i].1.market.quote.mark();
            mark.times(q * g.u.multiplier * packages)
        })
        .sum();
    (trade(g, unit), -paid)
}

/// The underlying itself, bought or sold, and the cash that moves.
fn trade_of_itself(g: &Ground<'_>, quantity: i64, packages: i64) -> (Remedy, Money) {
    let instrument = Instrument::Underlying(g.u.symbol.clone());
    let paid = if g.u.is_margined(&instrument) {
        0.0
    } else {
        g.spot * (quantity * packages) as f64
    };
    let unit = Holding::new([Leg {
        instrument,
        quantity,
    }]);
    (trade(g, unit), Money::from_model(-paid))
}

fn trade(g: &Ground<'_>, unit: Holding) -> Remedy {
    Remedy::Trade {
        symbol: g.u.symbol.clone(),
        words: words_of(&unit, g.u),
        unit,
    }
}

/// Looks for the smallest changes that bring the chosen book where it should be.
///
/// # Errors
/// An index that is not known.
pub fn mended(
    state: &State,
    quoter: &mut Quoter,
    memo: &BookMemo,
    chosen: &Chosen,
    (lens, index): (&Lens, f64),
    asked: &MendAsked,
) -> Result<Remedies, Refusal> {
    let wanted = LookWanted {
        moves: STRESS_MOVES.to_vec(),
        ..LookWanted::default()
    };
    let standard = Lens {
        vol: STRESS_ANSWER,
        apart: Vec::new(),
        ..lens.clone()
    };
    let all = items(state, quoter, chosen);
    let looked = worked(state, quoter, memo, all, (&standard, index), &wanted);
    let book = stance_of(&looked, asked);
    let symbols = grounds_of(state, lens, asked);
    let away = asked.goal.away(&book);
    let mut candidates: Vec<Prospect<Pick>> = Vec::new();
    let mut grounds: Vec<Quoted<'_>> = Vec::new();
    if away > 0.0 {
        grounds = grounds_with_ones(state, quoter, (lens, index), asked, &symbols)?;
        for (g, (ground, ones)) in grounds.iter().enumerate() {
            let ranges = sides_of(ones);
            let found: Vec<Prospect<Pick>> = ranges
                .into_par_iter()
                .flat_map_iter(|r| of_one_side(state, (g, ground), ones, r, asked))
                .collect();
            candidates.extend(found);
            candidates.extend(itself(state, quoter, (g, ground), asked.most));
        }
    }
    let mut done: Vec<Prospect<Pick>> = Vec::new();
    let changed = if away > 0.0 {
        changes(state, quoter, (lens, index), asked, &looked, &mut done)
    } else {
        Vec::new()
    };
    // What the buying power does not bear is no remedy.
    let looked_at = candidates.len() + done.len();
    let free = buying_power(state, quoter).to_f64();
    keep_within(&mut candidates, free);
    let beyond = looked_at - candidates.len() - done.len();
    let by = |of: &[Prospect<Pick>], shown| {
        mend(&book, &asked.bands, &asked.goal, asked.least, of, shown)
    };
    let (trades, reworks) = (by(&candidates, SHOWN), by(&done, SHOWN_CHANGES));
    let mut told = |mut m: Mending<Pick>| {
        let (remedy, cash) = match m.what {
            Pick::Change(i) => {
                let c = &changed[i];
                // What was not known while thousands were compared is worked out for what is told.
                let full = c.unknown.and_then(|(paid, counted)| {
                    Some(risk_in_full(state, quoter, c, paid)? - counted)
                });
                if let Some(more) = full {
                    m.after.capital += more;
                    m.after.sector += if c.in_sector { more } else { 0.0 };
                }
                let remedy = Remedy::Change {
                    campaign: c.campaign,
                    symbol: c.symbol.clone(),
                    then: c.then.clone(),
                    words: c.words.clone(),
                };
                (remedy, c.cash)
            }
            Pick::Legs { ground, legs, two } => {
                let (g, ones) = &grounds[ground];
                trade_of_legs(g, ones, &legs[..if two { 2 } else { 1 }], m.packages)
            }
            Pick::Itself { ground, quantity } => {
                trade_of_itself(&grounds[ground].0, quantity, m.packages)
            }
        };
        Mended {
            remedy,
            mending: m.without_what(),
            cash,
        }
    };
    Ok(Remedies {
        away,
        looked: looked_at,
        beyond,
        reach: trades.reach + reworks.reach,
        best: trades
            .best
            .into_iter()
            .chain(reworks.best)
            .map(&mut told)
            .collect(),
        book,
        symbols,
    })
}
