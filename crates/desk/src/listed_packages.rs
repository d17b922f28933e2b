//! A chain read as packages: one structure at every strike, with its market, what it makes and
//! loses, and what it ties up.

use std::collections::HashMap;

use quant::{Kind, Lognormal};

use crate::contract::Contract;
use crate::holding::Holding;
use crate::margin::{MarginBasis, MarginHolding, MarginLeg, requirement};
use crate::number::{Money, Price};
use crate::package_quote::{PackageQuote, Quote, package_quote};
use crate::shape::{Received, Shape};
use crate::template::Template;
use crate::underlying::Underlying;

/// One expiration's contracts with their markets.
pub type Listing = HashMap<(Kind, Price), (Contract, Quote)>;

/// One structure at one strike.
#[derive(Debug, Clone)]
pub struct ListedPackage {
    /// The strike it is anchored at.
    pub anchor: Price,
    /// One of it.
    pub unit: Holding,
    /// The package's market: cross, middle, rest and size.
    pub quote: PackageQuote,
    /// Its outline at the middle; none where a later leg decides.
    pub shape: Option<Shape>,
    /// Chance of profit at the expiration; none where a later leg decides.
    pub chance: Option<f64>,
    /// What it ties up at the middle, taken alone.
    pub tied_up: Money,
}

impl ListedPackage {
    /// The most it can make as a share of what it ties up; none where either has no meaning.
    pub fn part(&self) -> Option<f64> {
        crate::evaluate::part_of(self.shape.as_ref()?.most.limited()?, self.tied_up)
    }
}

/// What packages of an expiration are read from.
pub struct ListingView<'a> {
    /// The underlying that the listed options are on.
    pub underlying: &'a Underlying,
    /// Contracts of the expiration.
    pub near: &'a Listing,
    /// Contracts of the next one, where the structure needs it.
    pub far: &'a Listing,
    /// What margin is counted from.
    pub basis: MarginBasis,
    /// Where the price may end, under a flat volatility.
    pub ends: Option<Lognormal>,
}

/// Widths as multiples of the usual distance of strikes.
const WIDTHS: [i64; 9] = [1, 2, 3, 4, 6, 8, 12, 20, 30];

/// The strikes of a listing, ascending.
fn strikes(listing: &Listing) -> Vec<Price> {
    let mut strikes: Vec<Price> = listing.keys().map(|(_, strike)| *strike).collect();
    strikes.sort_unstable();
    strikes.dedup();
    strikes
}

/// The distance of strikes that is met most often.
fn usual_step(strikes: &[Price]) -> Price {
    let mut counts: HashMap<Price, usize> = HashMap::new();
    for pair in strikes.windows(2) {
        *counts.entry(pair[1] - pair[0]).or_default() += 1;
    }
    counts
        .into_iter()
        .max_by_key(|(step, count)| (*count, std::cmp::Reverse(*step)))
        .map_or(Price::cents(100), |(step, _)| step)
}

/// The widths that a listing's strikes allow, of structures that have one.
pub fn widths(template: Template, listing: &Listing) -> Vec<Price> {
    if !template.has_width() {
        return Vec::new();
    }
    let usual = usual_step(&strikes(listing));
    WIDTHS.iter().map(|n| usual * *n).collect()
}

/// The width at first: two steps for verticals and ratios; for what stands around the price about
/// half of `expected`, the expected move to the expiration in price.
pub fn first_width(template: Template, listing: &Listing, expected: f64) -> Price {
    let usual = usual_step(&strikes(listing));
    let around = matches!(
        template,
        Template::IronCondor
            | Template::Strangle
            | Template::CallButterfly
            | Template::PutButterfly
    );
    let wanted = (expected / usual.to_f64() / 2.0).round() as i64;
    let nearest = WIDTHS.into_iter().min_by_key(|n| (n - wanted).abs());
    usual * nearest.filter(|_| around).unwrap_or(2)
}

impl ListingView<'_> {
    /// One structure at every strike that has what it needs, from high to low.
    pub fn packages(&self, template: Template, width: Price) -> Vec<ListedPackage> {
        let find = |side: &Listing, kind, strike| side.get(&(kind, strike)).map(|(c, _)| c.clone());
        let at = |anchor: &Price| {
            let unit = template.at(
                *anchor,
                width,
                |kind, strike| find(self.near, kind, strike),
                |kind, strike| find(self.far, kind, strike),
            )?;
            self.read(*anchor, &unit)
        };
        strikes(self.near).iter().rev().filter_map(at).collect()
    }

    fn quote(&self, c: &Contract) -> Option<Quote> {
        [self.near, self.far].into_iter().find_map(|side| {
            let (known, quote) = side.get(&(c.kind, c.strike))?;
            (known == c).then_some(*quote)
        })
    }

    fn read(&self, anchor: Price, unit: &Holding) -> Option<ListedPackage> {
        let u = self.underlying;
        let quotes = unit
            .options()
            .map(|(c, _)| self.quote(c))
            .collect::<Option<Vec<_>>>()?;
        let quote = package_quote(unit, &quotes, u);
        let cash = -quote.middle.times(u.multiplier);
        // With a later leg nothing exact can be said of the first expiration.
        let received = Received::at_price(unit, u, quote.middle);
        let shape = unit
            .is_one_expiration()
            .then(|| Shape::of(unit, u, received));
        let options = unit
            .options()
            .zip(&quotes)
            .map(|((c, quantity), q)| MarginLeg {
                ends: u.expiry_moment(c),
                contract: c.clone(),
                quantity,
                mark: q.mark(),
            });
        let holding = MarginHolding {
            options: options.collect(),
            underlying: 0,
        };
        Some(ListedPackage {
            anchor,
            unit: unit.clone(),
            quote,
            chance: shape
                .as_ref()
                .zip(self.ends.as_ref())
                .map(|(s, ends)| ends.profit(&s.outcomes()).0),
            shape,
            tied_up: requirement(&holding, &self.basis).takes() - cash,
        })
    }
}
