//! What became of a structure by a date.

use desk::{Holding, Moment, Money};
use market::{Quoter, UnderlyingAt};

/// What a structure that is bought at a moment brings by a later one, beside what is paid for it: what
/// has ended its exercise value at the price of its end, what lasts its middle then, shares their price
/// and the dividends since; of a future the change of its price. Nothing where a leg has no market.
pub fn brought_by(
    bought: &UnderlyingAt<'_>,
    quoter: &mut Quoter,
    legs: &Holding,
    then: Moment,
) -> Option<Money> {
    let (u, world) = (bought.underlying, bought.world);
    let mut sum = Money::ZERO;
    for leg in legs.legs() {
        let price = match leg.instrument.option() {
            None if u.is_margined(&leg.instrument) => {
                world.spot(&u.symbol, then)? - world.spot(&u.symbol, bought.at)?
            }
            None => {
                let carry = world.carry(&u.symbol, then)?;
                let paid = carry.dividends(bought.at, then).map(|(_, cash)| cash);
                paid.fold(world.spot(&u.symbol, then)?, |sum, cash| sum + cash)
            }
            Some(c) => {
                let ends = u.expiry_moment(c);
                if ends <= then {
                    c.exercise_value(world.settled_by(c, then)?.price)
                } else {
                    quoter.quote(world, c, then)?.quote.mid()
                }
            }
        };
        sum += price.times(u.units(&leg.instrument) * leg.quantity);
    }
    Some(sum)
}
