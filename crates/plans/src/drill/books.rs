//! What a cycle trades, holds and pays, in exact money.
//!
//! A trade is a package a part of the way to the far side of every leg ([`part_way_price`]). Futures
//! count as if they were paid in full: the profit is the same as with daily settlement.

use quant::Kind;

use super::PressedSide;
use desk::Contract;
use desk::Instrument;
use desk::Quote;
use desk::Received;
use desk::part_way_price;
use desk::{Decimal, Money, Price};
use desk::{Fees, Underlying};
use desk::{Holding, Leg};

/// The books of one cycle.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct CycleBooks {
    /// What is held.
    pub held: Holding,
    /// Cash of everything so far before fees, received above zero.
    pub cash: Money,
    /// Commissions of the cycle so far, zero or above.
    pub fees: Money,
    /// What the entry brought before fees, below zero what it cost; futures cost nothing.
    pub entry: Money,
}

impl CycleBooks {
    /// Buys `legs`, which have these markets in their order; the price of one package.
    pub fn trade(
        &mut self,
        underlying: &Underlying,
        legs: &Holding,
        markets: &[Quote],
        (part, fees): (Decimal, &Fees),
    ) -> Price {
        let price = part_way_price(legs, underlying, markets, part);
        let units = underlying.price_units(legs) * legs.packages();
        self.cash -= price.times(units);
        self.fees += underlying.fees(legs, fees);
        self.held = self.held.plus(legs);
        price
    }

    /// The entry is what was traded so far; futures at these prices cost nothing.
    pub fn entered(&mut self, underlying: &Underlying, spot: Price) {
        let futures = self.held.legs().iter();
        let futures = futures.filter(|l| underlying.is_margined(&l.instrument));
        let notional = futures.map(|l| spot.times(l.quantity * underlying.units(&l.instrument)));
        self.entry = self.cash + notional.sum();
    }

    /// What an outline of the cycle starts from.
    pub fn received(&self) -> Received {
        Received::counted(self.cash - self.fees)
    }

    fn drop(&mut self, instrument: &Instrument) -> i64 {
        let held = self
            .held
            .legs()
            .iter()
            .find(|l| l.instrument == *instrument);
        let quantity = held.map_or(0, |l| l.quantity);
        let gone = Leg {
            instrument: instrument.clone(),
            quantity: -quantity,
        };
        self.held = self.held.plus(&Holding::new([gone]));
        quantity
    }

    /// A series ends at a print: it pays its exercise value.
    pub fn settle(&mut self, underlying: &Underlying, contract: &Contract, print: Price) {
        let quantity = self.drop(&Instrument::Option(contract.clone()));
        let value = contract.exercise_value(print);
        self.cash += value.times(quantity * underlying.multiplier);
    }

    /// Everything left in the underlying is settled at a print.
    pub fn settle_underlying(&mut self, underlying: &Underlying, print: Price) {
        let own = Instrument::Underlying(underlying.symbol.clone());
        let quantity = self.drop(&own);
        self.cash += print.times(quantity * underlying.units(&own));
    }

    /// So many sold contracts are assigned: they change into the underlying at their strike. Gives the
    /// units that came, signed.
    pub fn assign(&mut self, underlying: &Underlying, contract: &Contract, count: i64) -> i64 {
        let own = Instrument::Underlying(underlying.symbol.clone());
        // A call that is assigned delivers, a put takes.
        let way = if contract.kind == Kind::Call { -1 } else { 1 };
        let came = way * count * underlying.lot();
        self.cash -= contract.strike.times(came * underlying.units(&own));
        self.held = self.held.plus(&Holding::new([
            Leg::option(contract.clone(), count),
            Leg {
                instrument: own,
                quantity: came,
            },
        ]));
        came
    }

    /// Each share pays a dividend; what is sold short owes it.
    pub fn dividend(&mut self, cash: Price) {
        self.cash += cash.times(self.held.underlying_quantity());
    }

    /// Profit with what is held at these prices, in its order; fees of a later close are not counted.
    pub fn profit(&self, underlying: &Underlying, marks: &[Price]) -> Money {
        let worth = self.held.legs().iter().zip(marks);
        let worth = worth.map(|(l, m)| m.times(l.quantity * underlying.units(&l.instrument)));
        self.cash - self.fees + worth.sum()
    }
}

/// The right that the price presses, or of the quiet side the other one; see [`Holding::pressed`]. Nothing
/// where no option of it is held.
pub fn side_pressed(held: &Holding, spot: Price, which: PressedSide) -> Option<Kind> {
    let kind = match (which, held.pressed(spot)?) {
        (PressedSide::Pressed, kind) => kind,
        (PressedSide::Quiet, Kind::Call) => Kind::Put,
        (PressedSide::Quiet, Kind::Put) => Kind::Call,
    };
    held.options().any(|(c, _)| c.kind == kind).then_some(kind)
}
