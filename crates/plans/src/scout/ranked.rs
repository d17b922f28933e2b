//! The candidates in order: all of them, or the best with near-alikes folded.

use std::cmp::Ordering;

use rayon::prelude::*;

use super::families::{Family, Pack, Seed, each, in_order, seeds};
use super::field::Scouted;
use super::judge::Judge;
use super::limits::ScoutLimit;
use super::{JudgedPack, ScoutAsked, ScoutError};
use desk::UnderlyingKind;

/// What was found.
#[derive(Debug, Clone)]
pub struct Found {
    /// How many were judged.
    pub judged: usize,
    /// Longer options without an implied volatility: in no candidate.
    pub unvalued: usize,
    /// How many of them were given.
    pub given: usize,
}

/// How far a search is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct ScoutProgress {
    /// Beginnings that are looked through.
    pub done: usize,
    /// Of so many.
    pub of: usize,
    /// How many candidates have been judged so far.
    pub judged: usize,
}

/// A candidate, and how many are nearly like it.
#[derive(Debug, Clone, PartialEq)]
pub struct JudgedFold {
    /// The best of them.
    pub pack: JudgedPack,
    /// What it was ranked by; −infinity where its measure does not exist.
    pub rank: f64,
    /// Others that are nearly like it, among the best that were kept.
    pub like: usize,
    /// Its profit at the date over prices, enough to draw it.
    pub curve: Vec<(f64, f64)>,
}

/// The best of a search, and what was looked at for it.
#[derive(Debug, Clone, PartialEq)]
pub struct FoundBest {
    /// Best first, near-alikes folded.
    pub rows: Vec<JudgedFold>,
    /// How many were judged.
    pub judged: usize,
    /// How many each limit ruled out, each counted at the first that it breaks.
    pub ruled_out: Vec<(ScoutLimit, usize)>,
    /// Longer options without an implied volatility: in no candidate.
    pub unvalued: usize,
    /// It was stopped: what was not looked at yet may be better.
    pub stopped: bool,
}

/// The best so far, worked out when it is asked for.
pub type SoFar<'s> = dyn Fn() -> Vec<JudgedFold> + 's;
/// What is heard of a search.
pub type WatchOne<'w> = dyn FnMut(ScoutProgress, &SoFar<'_>) + 'w;

/// So many candidates (32 B each, held twice while they are gathered) keep their order within 300 MB.
const MOST: usize = 4_000_000;
/// So many are judged again in full at a time, to be given.
const AT_ONCE: usize = 4_096;
/// So many of the best are kept, to be folded.
const KEPT: usize = 4_000;
/// Parts that a search is watched in.
const PARTS: usize = 48;
/// Strikes nearer than this part of a deviation are nearly alike.
const ALIKE: f64 = 0.25;

/// Some candidates in no order, the best of more than can be kept.
struct Gathered<'j, 'a> {
    judge: &'j Judge<'a>,
    keep: usize,
    ranked: Vec<(f64, Pack)>,
    judged: usize,
    ruled: [usize; ScoutLimit::COUNT],
}

impl<'j, 'a> Gathered<'j, 'a> {
    fn new(judge: &'j Judge<'a>, keep: usize) -> Self {
        Gathered {
            judge,
            keep,
            ranked: Vec::new(),
            judged: 0,
            ruled: [0; ScoutLimit::COUNT],
        }
    }

    fn add(&mut self, pack: Pack) {
        self.judged += 1;
        match self.judge.look(&pack) {
            Ok(rank) => {
                self.ranked.push((rank, pack));
                if self.ranked.len() >= 2 * self.keep {
                    self.shorten();
                }
            }
            Err(limit) => self.ruled[limit as usize] += 1,
        }
    }

    fn shorten(&mut self) {
        if self.ranked.len() > self.keep {
            let judge = self.judge;
            self.ranked
                .select_nth_unstable_by(self.keep, |a, b| order(judge, a, b));
            self.ranked.truncate(self.keep);
        }
    }

    fn with(mut self, other: Self) -> Self {
        self.ranked.extend(other.ranked);
        self.judged += other.judged;
        for (a, b) in self.ruled.iter_mut().zip(other.ruled) {
            *a += b;
        }
        if self.keep < usize::MAX {
            self.shorten();
        }
        self
    }
}

fn order(judge: &Judge<'_>, (a, x): &(f64, Pack), (b, y): &(f64, Pack)) -> Ordering {
    b.total_cmp(a).then_with(|| judge.by_legs(x, y))
}

/// Everything that begins at some of the beginnings.
fn looked<'j, 'a>(
    judge: &'j Judge<'a>,
    seeds: &[Seed],
    keep: usize,
    stop: &(dyn Fn() -> bool + Sync),
) -> Gathered<'j, 'a> {
    let width = judge.asked.width.unwrap_or(f64::INFINITY);
    let begin = || Gathered::new(judge, keep);
    seeds
        .par_iter()
        .fold(begin, |mut gathered, seed| {
            if stop() {
                return gathered;
            }
            each(&judge.m, seed, width, &mut |pack| gathered.add(pack));
            gathered
        })
        .reduce(begin, Gathered::with)
}

fn beginnings(judge: &Judge<'_>) -> Vec<Seed> {
    let index = judge.m.scouted.underlying.kind == UnderlyingKind::Index;
    let families = judge.asked.families.iter().copied();
    let possible: Vec<Family> = families
        .filter(|f| !index || !f.holds_the_underlying())
        .collect();
    seeds(&judge.m, &possible)
}

/// Judges every candidate and gives the `best`, or all, in order, some at a time.
///
/// # Errors
/// Terms that the models refuse, or more candidates than can be kept in order where all are wanted.
pub fn scout(
    scouted: &Scouted<'_>,
    asked: &ScoutAsked,
    best: Option<usize>,
    mut give: impl FnMut(Vec<JudgedPack>),
) -> Result<Found, ScoutError> {
    let judge = Judge::new(scouted, asked)?;
    let all = beginnings(&judge);
    let width = asked.width.unwrap_or(f64::INFINITY);
    if best.is_none() {
        let many = all.par_iter().map(|seed| {
            let mut n = 0;
            each(&judge.m, seed, width, &mut |_| n += 1);
            n
        });
        if many.sum::<usize>() > MOST {
            return Err(ScoutError::TooMany(MOST));
        }
    }
    let mut gathered = looked(&judge, &all, best.unwrap_or(usize::MAX / 2), &|| false);
    gathered
        .ranked
        .par_sort_unstable_by(|a, b| order(&judge, a, b));
    for part in gathered.ranked.chunks(AT_ONCE) {
        give(part.par_iter().map(|(_, p)| judge.judged(p)).collect());
    }
    Ok(Found {
        judged: gathered.judged,
        unvalued: judge.m.unvalued,
        given: gathered.ranked.len(),
    })
}

/// The best, near-alikes folded, so many rows at most. `watch` is told how far the search is, with the
/// best so far at hand; when `stop` answers true it ends with what it has.
///
/// # Errors
/// Terms that the models refuse.
pub fn best(
    scouted: &Scouted<'_>,
    asked: &ScoutAsked,
    rows: usize,
    stop: &(dyn Fn() -> bool + Sync),
    watch: &mut WatchOne<'_>,
) -> Result<FoundBest, ScoutError> {
    let judge = Judge::new(scouted, asked)?;
    let all = beginnings(&judge);
    let mut gathered = Gathered::new(&judge, KEPT);
    let mut stopped = false;
    let mut done = 0;
    for part in all.chunks(all.len().div_ceil(PARTS).max(1)) {
        let progress = ScoutProgress {
            done,
            of: all.len(),
            judged: gathered.judged,
        };
        if stop() {
            stopped = true;
            break;
        }
        watch(progress, &|| folded(&judge, gathered.ranked.clone(), rows));
        gathered = gathered.with(looked(&judge, part, KEPT, stop));
        done += part.len();
    }
    stopped |= stop();
    let ruled_out = ScoutLimit::ALL.into_iter().zip(gathered.ruled);
    Ok(FoundBest {
        rows: folded(&judge, gathered.ranked, rows),
        judged: gathered.judged,
        ruled_out: ruled_out.filter(|(_, n)| *n > 0).collect(),
        unvalued: judge.m.unvalued,
        stopped,
    })
}

/// What two packs must share to be nearly alike: the family, and what is bought and sold where. Rights
/// count only where their sum leaves a slope, since a call and a put spread of one pair of strikes
/// make the same.
type Likeness = (Family, Vec<(usize, bool, i32)>);

/// Of each of its strikes in order the logarithm, and one deviation of its expiration.
type Strikes = Vec<(f64, f64)>;

/// With its strikes in order.
fn likeness(judge: &Judge<'_>, pack: &Pack) -> (Likeness, Strikes) {
    let mut by_place: Vec<(usize, i64, bool, i32)> = Vec::new();
    let legs = in_order(&judge.m, pack);
    let even = pack.lots == 0 && legs.iter().map(|(_, n)| i32::from(*n)).sum::<i32>() == 0;
    for (i, n) in legs.iter() {
        let s = &judge.m.series[*i];
        let put = !even && s.contract.kind == quant::Kind::Put;
        let place = (s.ending, s.contract.strike.raw(), put);
        match by_place.iter_mut().find(|p| (p.0, p.1, p.2) == place) {
            Some(known) => known.3 += i32::from(*n),
            None => by_place.push((place.0, place.1, place.2, i32::from(*n))),
        }
    }
    by_place.sort_unstable();
    let deviation = |ending: usize| judge.m.scouted.endings[ending].variance.sqrt();
    let strikes = by_place
        .iter()
        .map(|(e, k, ..)| ((*k as f64).ln(), deviation(*e)))
        .collect();
    let sides = by_place.into_iter().map(|(e, _, put, n)| (e, put, n));
    ((pack.family, sides.collect()), strikes)
}

/// The best rows, each with how many are nearly like it.
fn folded(judge: &Judge<'_>, mut ranked: Vec<(f64, Pack)>, rows: usize) -> Vec<JudgedFold> {
    ranked.sort_unstable_by(|a, b| order(judge, a, b));
    ranked.truncate(KEPT);
    type Head = (Likeness, Strikes, f64, Pack, usize);
    let mut heads: Vec<Head> = Vec::new();
    for (rank, pack) in ranked {
        let (of, strikes) = likeness(judge, &pack);
        let near = |h: &&mut Head| {
            let mut both = h.1.iter().zip(&strikes);
            h.0 == of && both.all(|((a, deviation), (b, _))| (a - b).abs() <= ALIKE * deviation)
        };
        if let Some(head) = heads.iter_mut().find(near) {
            head.4 += 1;
        } else if heads.len() < rows {
            heads.push((of, strikes, rank, pack, 0));
        }
    }
    heads
        .into_par_iter()
        .map(|(_, _, rank, pack, like)| JudgedFold {
            pack: judge.judged(&pack),
            curve: judge.curve(&pack),
            rank,
            like,
        })
        .collect()
}
