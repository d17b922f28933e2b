//! Mend: the smallest changes that bring the book where it should be.
//!
//! A candidate is something that can be traded in whole packages (a vertical, an option, shares, a
//! future) or done once (a campaign closed, halved, rolled). What one package adds to the book is
//! known for every move of the index, so a candidate is judged by sums: the fewest packages that
//! reach the goal, and what they cost.

use rayon::prelude::*;

/// The book's figures that bands are about.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Stance {
    /// Delta in index shares.
    pub lean: f64,
    /// What the book gains in money by one day's passing, all else equal.
    pub theta: f64,
    /// A volatility point.
    pub vega: f64,
    /// Profit at each move of the index that the stress loss is the worst of.
    pub moves: Vec<f64>,
    /// Capital tied up or at risk.
    pub capital: f64,
    /// Capital at risk in the sector that is asked about.
    pub sector: f64,
}

impl Stance {
    /// With so many packages of something more.
    pub fn with(&self, adds: &Stance, packages: f64) -> Stance {
        let moves = self.moves.iter().zip(&adds.moves);
        Stance {
            lean: self.lean + packages * adds.lean,
            theta: self.theta + packages * adds.theta,
            vega: self.vega + packages * adds.vega,
            moves: moves.map(|(a, b)| a + packages * b).collect(),
            capital: self.capital + packages * adds.capital,
            sector: self.sector + packages * adds.sector,
        }
    }

    /// The stress loss: the worst of the moves, above zero for a loss.
    pub fn stress(&self) -> f64 {
        -self.moves.iter().copied().fold(0.0, f64::min)
    }
}

/// From and to; an open side is infinite.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Band {
    /// The lowest value that is wanted.
    pub from: f64,
    /// The highest value that is wanted.
    pub to: f64,
}

impl Band {
    /// Whether a figure lies in it; its ends do.
    pub fn holds(&self, x: f64) -> bool {
        (self.from..=self.to).contains(&x)
    }

    /// How far a figure lies outside; 0 inside.
    fn outside(&self, x: f64) -> f64 {
        (self.from - x).max(x - self.to).max(0.0)
    }
}

/// Where the book should be.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Goal {
    /// Its lean in this band.
    Lean(Band),
    /// Its stress loss at most so much.
    Stress(f64),
    /// Its vega in this band.
    Vega(Band),
    /// Capital at risk in one sector at most so much.
    Sector(f64),
}

impl Goal {
    /// How far the book is from it; 0 where it is reached.
    pub fn away(&self, book: &Stance) -> f64 {
        match self {
            Goal::Lean(band) => band.outside(book.lean),
            Goal::Stress(most) => (book.stress() - most).max(0.0),
            Goal::Vega(band) => band.outside(book.vega),
            Goal::Sector(most) => (book.sector - most).max(0.0),
        }
    }
}

/// The trader's own bands, as far as there are any.
#[derive(Debug, Clone, Copy, Default, PartialEq)]
pub struct Bands {
    /// Of the lean.
    pub lean: Option<Band>,
    /// Where theta should lie, in money a day.
    pub theta: Option<Band>,
    /// Where vega should lie, in money a point of volatility.
    pub vega: Option<Band>,
    /// The stress loss at most.
    pub stress: Option<f64>,
    /// Capital at most.
    pub capital: Option<f64>,
}

impl Bands {
    /// Which of them a book leaves: lean, theta, vega, stress loss, capital.
    pub fn left(&self, book: &Stance) -> [bool; 5] {
        let out = |band: Option<Band>, x: f64| band.is_some_and(|b| !b.holds(x));
        let above = |most: Option<f64>, x: f64| most.is_some_and(|most| x > most);
        [
            out(self.lean, book.lean),
            out(self.theta, book.theta),
            out(self.vega, book.vega),
            above(self.stress, book.stress()),
            above(self.capital, book.capital),
        ]
    }
}

/// Something that could be done, one package of it.
#[derive(Debug, Clone)]
pub struct Prospect<T> {
    /// What it is.
    pub what: T,
    /// Of those of one kind only a few are listed.
    pub kind: u64,
    /// What one package adds to the book.
    pub adds: Stance,
    /// Cost of trading one package: fees, and half the width of its market.
    pub trading: f64,
    /// Days until it has to be done again: those to its first expiration, 1 at least.
    pub days: f64,
    /// Most packages; 1 for what is done once.
    pub most: i64,
}

/// What the best is measured by.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Least {
    /// What it takes from what the book earns a day, with its trading cost spread over its days.
    #[default]
    CostADay,
    /// Capital that it ties up.
    Capital,
    /// Bands that it leaves that held before, then what it adds to stress loss and capital.
    SideEffects,
    /// As few packages as possible.
    Packages,
}

/// A change that reaches the goal.
#[derive(Debug, Clone)]
pub struct Mending<T> {
    /// The change that is proposed.
    pub what: T,
    /// Packages of it.
    pub packages: i64,
    /// The book afterwards.
    pub after: Stance,
    /// Less earned a day, trading cost included; below zero: more.
    pub cost_a_day: f64,
    /// Cost of trading all of it.
    pub trading: f64,
    /// Bands that held before and do not afterwards.
    pub leaves: [bool; 5],
    /// Of one kind a few.
    kind: u64,
}

impl<T> Mending<T> {
    /// Its figures alone.
    pub fn without_what(self) -> Mending<()> {
        Mending {
            what: (),
            packages: self.packages,
            after: self.after,
            cost_a_day: self.cost_a_day,
            trading: self.trading,
            leaves: self.leaves,
            kind: self.kind,
        }
    }
}

/// What a search found.
#[derive(Debug, Clone)]
pub struct Mendings<T> {
    /// Candidates looked at.
    pub looked: usize,
    /// How many of them reach the goal.
    pub reach: usize,
    /// The best of them, the best first.
    pub best: Vec<Mending<T>>,
}

/// The fewest packages that reach a goal; nothing where none up to `most` do.
fn fewest(book: &Stance, adds: &Stance, goal: &Goal, most: i64) -> Option<i64> {
    // A line: where it enters the band is a division.
    let along = |x: f64, step: f64, band: &Band| {
        let gap = if x < band.from {
            band.from - x
        } else {
            band.to - x
        };
        if step == 0.0 || gap.signum() != step.signum() {
            return None;
        }
        let n = (gap / step - 1e-9).ceil().max(1.0);
        (n <= most as f64 && band.holds(x + n * step)).then_some(n as i64)
    };
    match goal {
        Goal::Lean(band) => along(book.lean, adds.lean, band),
        Goal::Vega(band) => along(book.vega, adds.vega, band),
        Goal::Sector(limit) => along(
            book.sector,
            adds.sector,
            &Band {
                from: f64::NEG_INFINITY,
                to: *limit,
            },
        ),
        Goal::Stress(limit) => {
            // Every move asks for at least so many packages, or for at most.
            let (mut from, mut to) = (1.0_f64, most as f64);
            for (now, step) in book.moves.iter().zip(&adds.moves) {
                let lacks = -limit - now;
                if *step > 0.0 {
                    from = from.max((lacks / step - 1e-9).ceil());
                } else if *step < 0.0 {
                    to = to.min((lacks / step + 1e-9).floor());
                } else if lacks > 0.0 {
                    return None;
                }
            }
            (from <= to).then_some(from as i64)
        }
    }
}

/// So many of one kind are listed.
const OF_A_KIND: usize = 2;

/// Looks through candidates for those that reach a goal, and lists the best.
pub fn mend<T: Clone + Send + Sync>(
    book: &Stance,
    bands: &Bands,
    goal: &Goal,
    least: Least,
    candidates: &[Prospect<T>],
    shown: usize,
) -> Mendings<T> {
    let before = bands.left(book);
    let judge = |c: &Prospect<T>| {
        let packages = fewest(book, &c.adds, goal, c.most)?;
        let n = packages as f64;
        let after = book.with(&c.adds, n);
        let left = bands.left(&after);
        Some(Mending {
            what: c.what.clone(),
            packages,
            cost_a_day: book.theta - after.theta + n * c.trading / c.days.max(1.0),
            trading: n * c.trading,
            leaves: std::array::from_fn(|i| left[i] && !before[i]),
            after,
            kind: c.kind,
        })
    };
    let mut found: Vec<Mending<T>> = candidates.par_iter().filter_map(judge).collect();
    let reach = found.len();
    let leaves = |m: &Mending<T>| m.leaves.iter().filter(|l| **l).count() as f64;
    let grows = |m: &Mending<T>| {
        (m.after.stress() - book.stress()).max(0.0) + (m.after.capital - book.capital).max(0.0)
    };
    let rank = |m: &Mending<T>| match least {
        Least::CostADay => [m.cost_a_day, m.after.capital],
        Least::Capital => [m.after.capital - book.capital, m.cost_a_day],
        Least::SideEffects => [leaves(m), grows(m)],
        Least::Packages => [m.packages as f64, m.cost_a_day],
    };
    let order = |a: &Mending<T>, b: &Mending<T>| {
        let (a, b) = (rank(a), rank(b));
        a[0].total_cmp(&b[0]).then(a[1].total_cmp(&b[1]))
    };
    found.par_sort_by(order);
    let mut best: Vec<Mending<T>> = Vec::with_capacity(shown);
    for m in found {
        if best.len() == shown {
            break;
        }
        if best.iter().filter(|b| b.kind == m.kind).count() < OF_A_KIND {
            best.push(m);
        }
    }
    Mendings {
        looked: candidates.len(),
        reach,
        best,
    }
}
