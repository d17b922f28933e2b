//! What conditions would have made of something that was entered by hand: held as it was opened, left at
//! the first close at which one of them holds, at the far side of every leg, or at its end.

use desk::{Cycle as ExpirationCycle, Decimal, Expiration, Holding, Moment, Money};
use market::{Quoter, World};
use plans::drill::{
    CycleBooks, Drill, DrillCondition, DrillKind, Enter, Every, Leave, LookTimes, Size,
};

use super::ground::{DrillError, DrillGround};
use super::life::{CycleDone, Life};

/// What was opened, and how.
#[derive(Debug, Clone, PartialEq)]
pub struct Opening {
    /// The symbol of the underlying.
    pub symbol: String,
    /// When all of it was there.
    pub at: Moment,
    /// What was held once it was opened.
    pub held: Holding,
    /// Cash before fees, received above zero.
    pub cash: Money,
    /// The value that futures among it count from; nothing was paid for them.
    pub futures: Money,
    /// Commissions of the opening, zero or above.
    pub fees: Money,
    /// Value of the account then.
    pub account: Option<Money>,
}

/// Lives on from an opening under conditions of leaving, as far as a moment; nothing where no option was
/// opened or a leg has no market.
pub fn road(
    world: &World,
    opening: &Opening,
    leave: Vec<DrillCondition>,
    until: Moment,
) -> Option<CycleDone> {
    let u = world.underlying(&opening.symbol)?;
    let options = || opening.held.options().map(|(c, _)| c);
    let first = options().min_by_key(|c| u.expiry_moment(c))?;
    let last = options().map(|c| u.expiry_moment(c)).max()?;
    let expiration = Expiration {
        date: first.expiry,
        cycle: ExpirationCycle::Monthly,
        am_settled: u.opens(&first.root),
        ends: u.expiry_moment(first),
    };
    let to = last.date().tomorrow().ok()?;
    let drill = Drill {
        name: String::new(),
        symbol: opening.symbol.clone(),
        from: opening.at.date(),
        to,
        looks: vec![LookTimes::Close],
        price: Decimal::whole(1),
        fees: true,
        stake: opening.account,
        enter: Enter {
            kind: DrillKind::Any,
            days: 0,
            least: 0,
            every: Every::Free,
            conditions: Vec::new(),
            size: Size::Times(1),
            legs: Vec::new(),
        },
        adjust: Vec::new(),
        leave: Leave {
            when: leave,
            until_expirations: None,
        },
    };
    let looks: Vec<Moment> = std::iter::successors(Some(drill.from), |d| d.tomorrow().ok())
        .take_while(|d| *d <= desk::calendar::next_session(last.date()))
        .filter(|d| desk::calendar::is_session(*d))
        .map(|d| Moment::at(d, 0, plans::drill::LAST_LOOK))
        .filter(|at| *at > opening.at && *at <= until && world.knows_chain(&drill.symbol, *at))
        .collect();
    let mut looks: Vec<Moment> = std::iter::once(opening.at).chain(looks).collect();
    // An end between the last of these looks and now has come: what is open still is marked now.
    if looks.last().is_some_and(|last| *last < until) {
        looks.push(until);
    }
    let ground = DrillGround::on(world, u, &drill, looks);
    let mut quoter = Quoter::new();
    let books = CycleBooks {
        held: opening.held.clone(),
        // The books of a cycle count futures as if they had been paid in full.
        cash: opening.cash - opening.futures,
        fees: opening.fees,
        entry: opening.cash,
    };
    let life = Life::going_on(&ground, &mut quoter, expiration, books);
    match life.live(&mut quoter, 0, &|| false) {
        Ok(done) => Some(done),
        Err(DrillError::NoMarket { .. } | DrillError::Stopped) => None,
        Err(DrillError::Symbol(..) | DrillError::Wrong(_) | DrillError::NoLooks { .. }) => None,
    }
}
