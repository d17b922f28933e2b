//! Where the price of a draft comes from: the market, or the trader's hand.

use crate::holding::Holding;
use crate::number::{Money, Price};
use crate::package_quote::{PackageQuote, Quote};
use crate::underlying::Underlying;

/// The net price that profit is counted from.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub enum EntryPrice {
    /// Join one's own side.
    Rest,
    /// Halfway between what crosses the market and what rests in it.
    #[default]
    Middle,
    /// Take the other side.
    Cross,
    /// This was paid for the whole of it (received below zero), a future counted at its price: what
    /// is held already. Its market is looked at from the middle.
    Paid(Money),
    /// Written by hand, for one package.
    Net(Price),
    /// Written by hand for each leg, in the order of the legs; a leg without one is taken at its
    /// middle.
    Legs(Vec<Option<Price>>),
}

impl EntryPrice {
    /// The net price of one package.
    pub fn price(
        &self,
        unit: &Holding,
        quote: &PackageQuote,
        quotes: &[Quote],
        underlying: &Underlying,
    ) -> Price {
        match self {
            EntryPrice::Rest => quote.rest,
            EntryPrice::Middle | EntryPrice::Paid(_) => quote.middle,
            EntryPrice::Cross => quote.cross,
            EntryPrice::Net(price) => *price,
            EntryPrice::Legs(prices) => {
                let price = |i: usize| {
                    prices
                        .get(i)
                        .copied()
                        .flatten()
                        .unwrap_or_else(|| quotes[i].mid())
                };
                let weighed = underlying
                    .weights(unit)
                    .into_iter()
                    .enumerate()
                    .map(|(i, w)| (price(i), w));
                Price::weighed(weighed, underlying.price_units(unit))
            }
        }
    }
}
