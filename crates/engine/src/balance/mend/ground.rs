//! An underlying as changes are looked for on it: what one of anything there adds to the book.

use desk::book::mend::Stance;
use desk::book::{
    BookLeg, BookOption, BookPosition, IndexGreeks, LegWorth, STRESS_ANSWER, STRESS_MOVES,
    Scenario, weight,
};
use desk::{Accuracy, Carry, Instrument, LegMarket, Underlying};

use super::Lens;
use crate::money::basis;
use crate::state::State;

/// What one of something adds, and how it is traded.
#[derive(Debug, Clone)]
pub(super) struct One {
    pub adds: Stance,
    pub market: LegMarket,
}

/// An underlying as candidates are looked for on it.
pub(super) struct Ground<'a> {
    pub u: &'a Underlying,
    pub spot: f64,
    pub carry: Carry,
    pub beta: f64,
    pub index: f64,
    /// Money a unit that selling one uncovered ties up is looked up by.
    pub basis: Option<desk::MarginBasis>,
}

impl Ground<'_> {
    pub fn of<'a>(state: &'a State, lens: &Lens, index: f64, symbol: &str) -> Option<Ground<'a>> {
        let (world, at) = (&state.world, state.clock.now);
        Some(Ground {
            u: world.underlying(symbol)?,
            spot: world.spot(symbol, at)?.to_f64(),
            carry: world.carry(symbol, at).unwrap_or(Carry::Yield(0.0)),
            beta: lens.betas.of(world, at, symbol, &lens.index).used,
            index,
            basis: basis(state, symbol),
        })
    }

    /// What one bought contract, share or future adds; nothing where its model refuses it.
    pub fn one(
        &self,
        state: &State,
        instrument: &Instrument,
        market: &LegMarket,
    ) -> Option<Stance> {
        let at = state.clock.now;
        let worth = match instrument {
            Instrument::Option(contract) => LegWorth::Option(BookOption::Listed {
                contract,
                underlying: self.u,
                at,
                carry: &self.carry,
                rate: market.rate,
                vol: market.vol,
            }),
            Instrument::Underlying(_) if self.u.settles_daily() => LegWorth::Future,
            Instrument::Underlying(_) => LegWorth::Shares(Some((&self.carry, at))),
        };
        let position = BookPosition {
            spot: self.spot,
            legs: vec![BookLeg {
                units: self.u.units(instrument) as f64,
                worth,
            }],
        };
        let g = position.greeks(Accuracy::Interactive).ok()?;
        let all = STRESS_MOVES.map(|m| Scenario {
            own: self.beta * m,
            days: 0.0,
            vol: STRESS_ANSWER,
        });
        let of = IndexGreeks::of(g.delta, g.gamma, weight(self.beta, self.spot, self.index));
        Some(Stance {
            lean: of.delta,
            theta: g.theta,
            vega: g.vega,
            moves: position.profits(&all, Accuracy::Interactive).ok()?,
            ..Stance::default()
        })
    }
}

/// Sum of some of these.
pub(super) fn summed(parts: &[(&Stance, f64)]) -> Stance {
    let empty = Stance {
        moves: vec![0.0; STRESS_MOVES.len()],
        ..Stance::default()
    };
    parts.iter().fold(empty, |sum, (s, n)| sum.with(s, *n))
}

/// Half the width of a market, for one unit.
pub(super) fn half(m: &LegMarket) -> f64 {
    (m.quote.ask - m.quote.bid).to_f64() / 2.0
}
