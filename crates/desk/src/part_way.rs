//! The price of a package a part of the way from its middle to the far side of every leg: what finders
//! and drills count with, where an order would be sent at a price of its own.
//!
//! M is the sum of the middles of one package and X that of the far sides (asks where it buys, bids
//! where it sells); the price is M + p·(X − M), rounded up to a step: the package is bought, so rounding
//! is against the trader. A leg that nobody bids for is sold at 0 and its middle is half its ask.

use crate::holding::{Holding, Leg};
use crate::number::{Decimal, Price};
use crate::package_quote::Quote;
use crate::price_style::PriceStyle;
use crate::underlying::Underlying;

/// The step that such prices are rounded up to: a cent, or that of a package where prices are no
/// decimals.
pub fn part_way_step(underlying: &Underlying) -> Price {
    match underlying.style_of_price {
        PriceStyle::Decimal => Price::cents(1),
        _ => underlying.package_tick,
    }
}

/// M + p·(X − M) rounded up to `step`. Given are twice the sum of middles, and the sum of far sides, each
/// leg counted so often that `whole` of it makes one unit of the price.
pub fn part_way((doubled, far): (i128, i128), whole: i64, part: Decimal, step: Price) -> Price {
    let (p, one) = (i128::from(part.raw()), i128::from(Decimal::SCALE));
    // In twice the scale of p.
    let exact = doubled * one + p * (2 * far - doubled);
    let unit = 2 * one * i128::from(whole) * i128::from(step.raw());
    let steps = exact.div_euclid(unit) + i128::from(exact.rem_euclid(unit) > 0);
    Price::from_raw((steps * i128::from(step.raw())) as i64)
}

/// Price of one package of `structure`, whose legs have these markets in their order: above zero paid,
/// below zero received. Of options with shares it is one of a unit of the option.
pub fn part_way_price(
    structure: &Holding,
    underlying: &Underlying,
    markets: &[Quote],
    part: Decimal,
) -> Price {
    let unit = structure.unit();
    let sum = |of: &dyn Fn(&Leg, &Quote) -> i64| -> i128 {
        let legs = unit.legs().iter().zip(markets);
        legs.map(|(l, q)| {
            let weight = l.quantity.saturating_mul(underlying.units(&l.instrument));
            i128::from(weight) * i128::from(of(l, q))
        })
        .sum()
    };
    let doubled = sum(&|_, q| q.bid.raw() + q.ask.raw());
    let far = sum(&|l, q| if l.quantity > 0 { q.ask } else { q.bid }.raw());
    part_way(
        (doubled, far),
        underlying.price_units(&unit),
        part,
        part_way_step(underlying),
    )
}
