//! Families of structures, each told exactly; together they are everything that is judged.
//!
//! Strikes ascend K₁ < K₂ < K₃ < K₄; + is bought, − is sold; one package is the least whole number.
//!
//! | family | legs |
//! |---|---|
//! | `single` | +1 or −1 option |
//! | `vertical` | one right, one expiration, +1 and −1 at two strikes, both ways round |
//! | `straddle` | call and put of one strike and expiration, both + or both − |
//! | `strangle` | put at K₁ and call at K₂ of one expiration, both + or both − |
//! | `ratio` | one right, one expiration, two strikes: 1 at one against 2 at the other, all four signs |
//! | `butterfly` | of one expiration + −2 + or − +2 − at K₁, K₂, K₃, all calls or all puts, or put K₁, put and call K₂, call K₃ with + − − + or − + + −; K₂ − K₁ = K₃ − K₂ |
//! | `butterfly-skewed` | the same with unequal distances |
//! | `condor` | of one expiration + − − + or − + + −, all calls, all puts, or puts at K₁, K₂ and calls at K₃, K₄; K₂ − K₁ = K₄ − K₃ |
//! | `condor-skewed` | the same with unequal outer distances |
//! | `calendar` | one right and strike, two expirations: − nearer and + later, or + nearer and − later |
//! | `diagonal` | the same at two strikes |
//! | `covered` | a lot of shares or one future bought, a call sold |
//! | `protected` | the same bought, a put bought |
//! | `collar` | the same bought, a put bought at K₁, a call sold at K₂, of one expiration |
//! | `shares` | a lot of shares or one future bought, and nothing else |

use quant::Kind;

use super::field::Prepared;

macro_rules! families {
    ($($(#[$doc:meta])* $name:ident $word:literal;)*) => {
        /// A family of structures.
        #[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
        pub enum Family { $($(#[$doc])* $name,)* }

        /// Every family with its word.
        pub const FAMILIES: &[(Family, &str)] = &[$((Family::$name, $word),)*];
    };
}

families! {
    /// A single option, bought or sold.
    Single "single";
    /// Two strikes of one right and expiration.
    Vertical "vertical";
    /// Call and put of one strike.
    Straddle "straddle";
    /// Put and call of two strikes.
    Strangle "strangle";
    /// One against two.
    Ratio "ratio";
    /// Three strikes as far apart.
    Butterfly "butterfly";
    /// Three strikes unevenly apart.
    ButterflySkewed "butterfly-skewed";
    /// Four strikes, wings as wide.
    Condor "condor";
    /// Four strikes, wings unevenly wide.
    CondorSkewed "condor-skewed";
    /// One strike, two expirations.
    Calendar "calendar";
    /// Two strikes, two expirations.
    Diagonal "diagonal";
    /// Shares and a sold call.
    Covered "covered";
    /// Shares and a bought put.
    Protected "protected";
    /// Shares between a bought put and a sold call.
    Collar "collar";
    /// The underlying alone.
    Shares "shares";
}

impl Family {
    /// The word that stands for it in files, in requests and on the command line.
    pub fn word(self) -> &'static str {
        FAMILIES[self as usize].1
    }

    /// By its word.
    pub fn of_word(word: &str) -> Option<Family> {
        let found = FAMILIES.iter().find(|(_, w)| *w == word);
        found.map(|(f, _)| *f)
    }

    /// Whether the underlying itself is a leg.
    pub fn holds_the_underlying(self) -> bool {
        matches!(
            self,
            Family::Covered | Family::Protected | Family::Collar | Family::Shares
        )
    }
}

/// One package: places of options with quantities, and lots of the underlying.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Pack {
    pub legs: [(u16, i8); 4],
    pub count: u8,
    /// Lots of shares, or futures.
    pub lots: i8,
    pub family: Family,
}

impl Pack {
    fn new(family: Family, lots: i8, legs: &[(usize, i8)]) -> Pack {
        let mut out = [(0, 0); 4];
        for (to, (i, n)) in out.iter_mut().zip(legs) {
            *to = (*i as u16, *n);
        }
        Pack {
            legs: out,
            count: legs.len() as u8,
            lots,
            family,
        }
    }

    pub fn legs(&self) -> &[(u16, i8)] {
        &self.legs[..self.count as usize]
    }
}

/// Where candidates begin: a family, an expiration, a first strike of a right.
#[derive(Debug, Clone, Copy)]
pub(super) struct Seed {
    family: Family,
    ending: usize,
    side: usize,
    first: usize,
}

/// Every beginning of these families.
pub(super) fn seeds(m: &Prepared<'_>, families: &[Family]) -> Vec<Seed> {
    let mut out = Vec::new();
    for family in families {
        if *family == Family::Shares {
            out.push(Seed {
                family: *family,
                ending: 0,
                side: CALLS,
                first: 0,
            });
            continue;
        }
        for (ending, sides) in m.sides.iter().enumerate() {
            for (side, all) in sides.iter().enumerate() {
                out.extend((0..all.len()).map(|first| Seed {
                    family: *family,
                    ending,
                    side,
                    first,
                }));
            }
        }
    }
    out
}

const CALLS: usize = 0;
const PUTS: usize = 1;

/// Where the candidates of a seed begin: its option, and those with higher strikes beside it.
struct Begun<'a> {
    m: &'a Prepared<'a>,
    first: usize,
    higher: &'a [usize],
    width: f64,
}

impl<'a> Begun<'a> {
    fn at(m: &'a Prepared<'a>, seed: &Seed, width: f64) -> Begun<'a> {
        let side = &m.sides[seed.ending][seed.side];
        Begun {
            m,
            first: side[seed.first],
            higher: &side[seed.first + 1..],
            width,
        }
    }

    fn strike(&self, i: usize) -> f64 {
        self.m.series[i].strike
    }

    /// Whether a wing reaches from one to the other.
    fn near(&self, a: usize, b: usize) -> bool {
        self.strike(b) - self.strike(a) <= self.width + 1e-9
    }

    /// Those that a wing from the first one reaches, each with its place among the higher ones.
    fn seconds(&self) -> impl Iterator<Item = (usize, usize)> {
        let all = self.higher.iter().copied().enumerate();
        all.take_while(|(_, b)| self.near(self.first, *b))
    }
}

/// Every candidate that begins there, the first strike its lowest; wings are at most `width` wide.
pub(super) fn each(m: &Prepared<'_>, seed: &Seed, width: f64, give: &mut impl FnMut(Pack)) {
    use Family as F;
    let f = seed.family;
    if f == F::Shares {
        return give(Pack::new(f, 1, &[]));
    }
    let begun = Begun::at(m, seed, width);
    let (sides, first) = (&m.sides[seed.ending], begun.first);
    let strike = |i: usize| begun.strike(i);
    let mut pair = |lots: i8, legs: &[(usize, i8)]| give(Pack::new(f, lots, legs));
    match f {
        F::Single => {
            pair(0, &[(first, 1)]);
            pair(0, &[(first, -1)]);
        }
        F::Vertical => {
            for (_, b) in begun.seconds() {
                pair(0, &[(first, 1), (b, -1)]);
                pair(0, &[(first, -1), (b, 1)]);
            }
        }
        F::Ratio => {
            for (_, b) in begun.seconds() {
                for (x, y) in [(1, -2), (-1, 2), (2, -1), (-2, 1)] {
                    pair(0, &[(first, x), (b, y)]);
                }
            }
        }
        F::Straddle if seed.side == PUTS => {
            for c in sides[CALLS].iter().filter(|c| strike(**c) == strike(first)) {
                pair(0, &[(first, 1), (*c, 1)]);
                pair(0, &[(first, -1), (*c, -1)]);
            }
        }
        F::Strangle if seed.side == PUTS => {
            for c in sides[CALLS].iter().filter(|c| strike(**c) > strike(first)) {
                pair(0, &[(first, 1), (*c, 1)]);
                pair(0, &[(first, -1), (*c, -1)]);
            }
        }
        F::Butterfly | F::ButterflySkewed => butterflies(&begun, seed, give),
        F::Condor | F::CondorSkewed => condors(&begun, seed, give),
        F::Calendar | F::Diagonal => {
            for later in &m.sides[seed.ending + 1..] {
                for d in &later[seed.side] {
                    let same = strike(*d) == strike(first);
                    let within = (strike(*d) - strike(first)).abs() <= width + 1e-9;
                    if same == (f == F::Calendar) && (same || within) {
                        pair(0, &[(first, -1), (*d, 1)]);
                        pair(0, &[(first, 1), (*d, -1)]);
                    }
                }
            }
        }
        F::Covered if seed.side == CALLS => pair(1, &[(first, -1)]),
        F::Protected if seed.side == PUTS => pair(1, &[(first, 1)]),
        F::Collar if seed.side == PUTS => {
            for c in sides[CALLS].iter().filter(|c| strike(**c) > strike(first)) {
                pair(1, &[(first, 1), (*c, -1)]);
            }
        }
        _ => {}
    }
}

/// Butterflies of one kind, and of puts and calls together, that begin with the seed's strike.
fn butterflies(begun: &Begun<'_>, seed: &Seed, give: &mut impl FnMut(Pack)) {
    let (f, first) = (seed.family, begun.first);
    let strike = |i: usize| begun.strike(i);
    let mut pair = |legs: &[(usize, i8)]| give(Pack::new(f, 0, legs));
    let even = f == Family::Butterfly;
    let fits = |a: usize, b: usize, c: usize| {
        begun.near(b, c) && ((strike(b) - strike(a) == strike(c) - strike(b)) == even)
    };
    for (i, b) in begun.seconds() {
        for c in &begun.higher[i + 1..] {
            if fits(first, b, *c) {
                pair(&[(first, 1), (b, -2), (*c, 1)]);
                pair(&[(first, -1), (b, 2), (*c, -1)]);
            }
        }
        // Puts below, calls above the middle.
        if seed.side == PUTS {
            let calls = &begun.m.sides[seed.ending][CALLS];
            let Some(at) = calls.iter().position(|c| strike(*c) == strike(b)) else {
                continue;
            };
            for c in &calls[at + 1..] {
                if fits(first, b, *c) {
                    let middle = calls[at];
                    pair(&[(first, 1), (b, -1), (middle, -1), (*c, 1)]);
                    pair(&[(first, -1), (b, 1), (middle, 1), (*c, -1)]);
                }
            }
        }
    }
}

/// Condors of one kind, and of puts and calls together, that begin with the seed's strike.
fn condors(begun: &Begun<'_>, seed: &Seed, give: &mut impl FnMut(Pack)) {
    let (f, first) = (seed.family, begun.first);
    let strike = |i: usize| begun.strike(i);
    let mut pair = |legs: &[(usize, i8)]| give(Pack::new(f, 0, legs));
    let even = f == Family::Condor;
    for (i, b) in begun.seconds() {
        let wing = strike(b) - strike(first);
        let mut uppers = |upper: &[usize]| {
            for (j, c) in upper.iter().enumerate() {
                for d in upper[j + 1..].iter().take_while(|d| begun.near(*c, **d)) {
                    if (strike(*d) - strike(*c) == wing) == even {
                        pair(&[(first, 1), (b, -1), (*c, -1), (*d, 1)]);
                        pair(&[(first, -1), (b, 1), (*c, 1), (*d, -1)]);
                    }
                }
            }
        };
        uppers(&begun.higher[i + 1..]);
        if seed.side == PUTS {
            let calls = &begun.m.sides[seed.ending][CALLS];
            let from = calls.partition_point(|c| strike(*c) <= strike(b));
            uppers(&calls[from..]);
        }
    }
}

/// Legs of a pack in order.
pub(super) struct InOrder {
    legs: [(usize, i8); 4],
    count: usize,
}

impl std::ops::Deref for InOrder {
    type Target = [(usize, i8)];

    fn deref(&self) -> &[(usize, i8)] {
        &self.legs[..self.count]
    }
}

/// Puts before calls where strikes are equal, nearer before later.
pub(super) fn in_order(m: &Prepared<'_>, pack: &Pack) -> InOrder {
    let mut out = InOrder {
        legs: [(0, 0); 4],
        count: usize::from(pack.count),
    };
    for (to, (i, n)) in out.legs.iter_mut().zip(pack.legs()) {
        *to = (usize::from(*i), *n);
    }
    out.legs[..out.count].sort_unstable_by_key(|(i, _)| {
        let s = &m.series[*i];
        (s.contract.strike, s.contract.kind == Kind::Call, s.ending)
    });
    out
}
