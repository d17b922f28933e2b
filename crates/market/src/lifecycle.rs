//! What happens to positions without an order: dividends, exercise and assignment, settlements, the
//! end of a future. When each happens, and in which order, is told in [`session`](crate::session).
//!
//! Early exercise of what others hold: a call the night before an ex-date when the put of the same
//! strike and the interest on the strike are worth less than the dividend (the rule that follows
//! from European parity), by most of its holders; a put whose value is its exercise value, by a
//! part of them each night. Who is assigned is drawn from the seed, contract by contract.

use std::collections::BTreeSet;

use desk::calendar::next_session;
use desk::{
    Account, Campaign, ChapterKind, Contract, Entry, EntryKind, Instrument, Kind, Moment, Price,
    Settlement, Style, day_number,
};
use quant::{Terms, european_price};

use crate::noise::{Stream, contract_key};
use crate::quotes::Quoter;
use crate::session::Phase;
use crate::source::{Print, PrintOf};
use crate::world::World;

/// One thing that happens to a position.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum LifecycleEvent {
    /// Shares paid a dividend of so much each.
    Dividend {
        /// The symbol whose shares are paid it.
        symbol: String,
        /// On a share.
        cash: Price,
    },
    /// A series ended and is settled in cash at so much per unit: at its value, or at nothing.
    Ended {
        /// The series that ended.
        contract: Contract,
        /// What it is worth.
        value: Price,
        /// The print of the underlying.
        print: Print,
        /// In the money, but its holder had said not to exercise.
        declined: bool,
    },
    /// Campaigns hold opposite sides of a series that ended in the money: between them it ends at
    /// its value, and only the rest is delivered.
    Offset {
        /// The series that both sides hold.
        contract: Contract,
        /// What it is worth.
        value: Price,
        /// The print of the underlying.
        print: Print,
    },
    /// So many contracts (signed as they are held; below zero: assigned) change into the underlying
    /// at the strike.
    Delivered {
        /// The series that was exercised or assigned.
        contract: Contract,
        /// How many, signed.
        quantity: i64,
        /// The print of the underlying.
        print: Print,
        /// Before the end of its life.
        early: bool,
    },
    /// The print that counts is another one than something was settled by in cash.
    Corrected {
        /// The series that ended, or the future.
        ended: Instrument,
        /// What one unit was worth more than it was settled at; below zero less.
        by: Price,
        /// The print that counts.
        print: Print,
    },
    /// A future's gains and losses of the day are settled.
    Variation {
        /// The symbol of the future that is settled.
        symbol: String,
        /// The day's settlement price.
        print: Print,
        /// It traded for the last time: positions end here.
        last: bool,
    },
}

/// How likely a holder is to act in time where exercise before an ex-date pays.
const DILIGENT: f64 = 0.92;
/// How likely a holder of a put that is worth its exercise value is to exercise it on a given
/// night.
const TIRED: f64 = 0.25;
/// Time value below which a put counts as worth its exercise value.
const NOTHING: f64 = 0.005;

/// Everything that a phase of the session brings to an account's positions, as they are then.
pub fn of_phase(
    phase: Phase,
    world: &World,
    quoter: &mut Quoter,
    (account, declined): (&Account, &BTreeSet<Contract>),
    at: Moment,
) -> Vec<LifecycleEvent> {
    let series = || account.series().into_iter();
    match phase {
        Phase::ExDividend => dividends(world, account, at),
        Phase::Settlement => {
            let ends = |c: &Contract| world.owner(c).map(|u| u.expiry_moment(c));
            let due = series().filter(|c| ends(c).is_some_and(|end| end <= at));
            due.flat_map(|c| ended(world, account, declined, c, at))
                .chain(corrections(world, account, at))
                .collect()
        }
        Phase::DailySettlement => variation(world, account, at),
        Phase::EarlyAssignment => series()
            .filter_map(|c| assigned_early(world, quoter, account, c, at))
            .collect(),
        // Neither brings anything to positions by itself.
        Phase::FirstDraw | Phase::Marks => Vec::new(),
    }
}

/// Underlyings with something held that has ended and waits for its print, each once.
pub fn waiting(world: &World, account: &Account, at: Moment) -> BTreeSet<String> {
    let series = account.series().into_iter().filter_map(|c| {
        let u = world.owner(&c)?;
        let waits = u.expiry_moment(&c) <= at && world.settled_by(&c, at).is_none();
        waits.then(|| u.symbol.clone())
    });
    series.collect()
}

/// Days after a settlement within which its day's bar may still come and correct it.
const CORRECTED_WITHIN: i64 = 10;

/// What settled in cash by a print that the day's bar has corrected since, each once.
fn corrections(world: &World, account: &Account, at: Moment) -> Vec<LifecycleEvent> {
    let since = at.plus_millis(-CORRECTED_WITHIN * 86_400_000).date();
    let settled = |e: &&Entry| e.kind == EntryKind::Settlement;
    let shares = account
        .entries_since(since)
        .filter(settled)
        .flat_map(|e| &e.shares);
    let touched: BTreeSet<u64> = shares.map(|s| s.campaign).collect();
    let campaigns: Vec<&Campaign> = touched
        .into_iter()
        .filter_map(|id| account.campaign(id))
        .collect();
    let chapters = campaigns.iter().flat_map(|c| &c.chapters);
    let ends = chapters.filter(|c| c.kind == ChapterKind::Settled);
    let ended: BTreeSet<&Instrument> = ends.flat_map(|c| &c.legs).map(|(i, _)| i).collect();
    let correction = |ended: &Instrument| {
        let (then, print) = world.corrected(ended, at)?;
        let u = world.underlying_of(ended)?;
        if ended.option().is_some() && u.settlement == Settlement::Delivery {
            return None;
        }
        let (settled, added) = campaigns
            .iter()
            .find_map(|c| c.settled_at(ended, u.units(ended)))?;
        // What was settled otherwise, as an option that its holder left, stays as it is.
        let by = worth_at(ended, print.price) - (settled + added);
        let due = settled == worth_at(ended, then.price) && by != Price::ZERO;
        due.then(|| LifecycleEvent::Corrected {
            ended: ended.clone(),
            by,
            print,
        })
    };
    ended.into_iter().filter_map(correction).collect()
}

/// What one unit of something that ends is worth at a price.
fn worth_at(ended: &Instrument, price: Price) -> Price {
    match ended.option() {
        Some(c) => inside(c, price).max(Price::ZERO),
        None => price,
    }
}

/// How far a series is in the money at a price; below zero out of it.
fn inside(contract: &Contract, price: Price) -> Price {
    match contract.kind {
        Kind::Call => price - contract.strike,
        Kind::Put => contract.strike - price,
    }
}

fn dividends(world: &World, account: &Account, open: Moment) -> Vec<LifecycleEvent> {
    let paying = |symbol: String| {
        let carry = world.carry(&symbol, open)?;
        let (_, cash) = carry.dividends(open.plus_millis(-1), open).next()?;
        Some(LifecycleEvent::Dividend { symbol, cash })
    };
    account
        .underlyings()
        .into_iter()
        .filter_map(paying)
        .collect()
}

/// What happens to a series at its end. Opposite sides of it end against each other; what is left
/// is exercised, assigned or settled.
fn ended(
    world: &World,
    account: &Account,
    declined: &BTreeSet<Contract>,
    contract: Contract,
    at: Moment,
) -> Vec<LifecycleEvent> {
    let Some(underlying) = world.owner(&contract) else {
        return Vec::new();
    };
    let instrument = Instrument::Option(contract.clone());
    let held = account.held(&instrument);
    let own = || account.lots().iter().filter(|l| l.instrument == instrument);
    let both_sides = own().any(|l| l.quantity > 0) && own().any(|l| l.quantity < 0);
    // Without a print it waits.
    let Some(print) = world.settled_by(&contract, at) else {
        return Vec::new();
    };
    let inside = inside(&contract, print.price);
    let exercised = inside >= Price::cents(1);
    let declines = exercised && held > 0 && declined.contains(&contract);
    let delivers = exercised && underlying.settlement == Settlement::Delivery;
    let mut out = Vec::new();
    if both_sides && delivers {
        out.push(LifecycleEvent::Offset {
            contract: contract.clone(),
            value: inside,
            print,
        });
    }
    if delivers && !declines {
        if held != 0 {
            out.push(LifecycleEvent::Delivered {
                contract,
                quantity: held,
                print,
                early: false,
            });
        }
        return out;
    }
    let value = if exercised && !declines {
        inside
    } else {
        Price::ZERO
    };
    out.push(LifecycleEvent::Ended {
        contract,
        value,
        print,
        declined: declines,
    });
    out
}

fn variation(world: &World, account: &Account, close: Moment) -> Vec<LifecycleEvent> {
    let settled = |symbol: String| {
        let u = world.underlying(&symbol)?;
        if !u.is_margined(&Instrument::Underlying(symbol.clone())) {
            return None;
        }
        let today = close.date();
        // One that ended on a day without a print ends at the first settlement that knows it.
        let ended = u.last_session.filter(|last| *last <= today);
        let day = ended.unwrap_or(today);
        let print = world.print(&symbol, PrintOf::Close, day, close)?;
        Some(LifecycleEvent::Variation {
            symbol,
            print,
            last: ended.is_some(),
        })
    };
    account
        .underlyings()
        .into_iter()
        .filter_map(settled)
        .collect()
}

/// How likely a holder is to exercise a series the night of a day that closes at the prices of a
/// moment; none where nobody would.
pub fn exercised_tonight(
    world: &World,
    quoter: &mut Quoter,
    contract: &Contract,
    at: Moment,
) -> Option<f64> {
    let underlying = world.owner(contract)?;
    if underlying.style != Style::American || underlying.settlement != Settlement::Delivery {
        return None;
    }
    let print = world.spot(&underlying.symbol, at)?;
    match contract.kind {
        Kind::Call => pays_before_dividend(world, quoter, contract, print, at).then_some(DILIGENT),
        Kind::Put => {
            let inside = contract.strike - print;
            let value = quoter.quote(world, contract, at)?.theoretical;
            (inside > Price::ZERO && value - inside.to_f64() < NOTHING).then_some(TIRED)
        }
    }
}

/// How many of so many sold contracts are assigned the night of a day that closes at the prices of a
/// moment.
pub fn assigned_tonight(
    world: &World,
    quoter: &mut Quoter,
    contract: &Contract,
    sold: i64,
    at: Moment,
) -> i64 {
    let Some(chance) = exercised_tonight(world, quoter, contract, at) else {
        return 0;
    };
    let key = contract_key(contract);
    let night = day_number(at.date()) << 20;
    let drawn = |i: &i64| world.noise().uniform(Stream::Assignment, key, night | i) < chance;
    (0..sold).filter(drawn).count() as i64
}

fn assigned_early(
    world: &World,
    quoter: &mut Quoter,
    account: &Account,
    contract: Contract,
    at: Moment,
) -> Option<LifecycleEvent> {
    let held = account.held(&Instrument::Option(contract.clone()));
    if held >= 0 {
        return None;
    }
    // Where nothing was printed today nobody knows what to exercise by.
    let symbol = &world.owner(&contract)?.symbol;
    let print = world.print(symbol, PrintOf::Close, at.date(), at)?;
    let assigned = assigned_tonight(world, quoter, &contract, -held, at);
    (assigned > 0).then_some(LifecycleEvent::Delivered {
        contract,
        quantity: -assigned,
        print,
        early: true,
    })
}

/// Whether a call is best exercised tonight for tomorrow's dividend: P + K(1 − e^{−rτ}) < D, with
/// the put at what is left after the fall, at the volatility that its strike has tonight.
fn pays_before_dividend(
    world: &World,
    quoter: &mut Quoter,
    contract: &Contract,
    print: Price,
    at: Moment,
) -> bool {
    let mut worth = || -> Option<(f64, Price)> {
        let underlying = world.owner(contract)?;
        let tomorrow = next_session(at.date());
        let paid = world.dividends(&underlying.symbol, at, 30);
        let (_, cash) = paid.into_iter().find(|(ex, _)| *ex == tomorrow)?;
        let (expiry, strike) = (underlying.expiry_moment(contract), contract.strike.to_f64());
        let spot = (print - cash).to_f64();
        let vol = quoter.vol_of(world, contract, at)?;
        // From tomorrow on: what is paid then is paid no more.
        let open = underlying.end_on(tomorrow, true);
        let years = open.years_until(expiry).max(1.0 / 525_600.0);
        let rate = world.rate(at, years);
        let carry = world.carry(&underlying.symbol, at)?;
        let put = Terms {
            kind: Kind::Put,
            style: Style::European,
            strike,
            time: years,
            rate,
            carry_yield: carry.yield_until(open, expiry, rate, spot),
            vol,
        };
        let kept = european_price(&put, spot) + strike * (1.0 - libm::exp(-rate * years));
        Some((kept, cash))
    };
    print > contract.strike && worth().is_some_and(|(kept, cash)| kept < cash.to_f64())
}
