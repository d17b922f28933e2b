//! Campaigns: what an order leaves of one, where it can be rolled to, and what is coming of itself. What
//! they hold and made is arithmetic of `desk`.

use std::sync::Arc;

use desk::calendar::{is_session, next_session};
use desk::{
    Ahead, AheadLeg, AheadView, Campaign, Evaluation, Fill, FillLeg, Holding, Leg, Moment, Money,
    Package, Proposal, Quote, Standing,
};
use market::Quoter;
use market::lifecycle::exercised_tonight;

use crate::money::evaluate;
use crate::refusal::Refusal;
use crate::state::{State, spot_of, underlying_of};

/// A campaign after an order: what is left of it.
#[derive(Debug, Clone)]
pub struct Left {
    /// What it holds then; nothing where it is closed.
    pub holding: Holding,
    /// Profit booked by then, fees taken off.
    pub booked: Money,
    /// All of it from its first opening on, judged as it is held then; absent where nothing is
    /// left.
    pub evaluation: Option<Evaluation>,
}

/// A campaign that holds something.
///
/// # Errors
/// There is no such campaign, or it holds nothing.
pub fn open(state: &State, campaign: u64) -> Result<&Campaign, Refusal> {
    let found = state.account.campaign(campaign);
    found
        .filter(|c| state.account.lots_of(c.id).next().is_some())
        .ok_or(Refusal::NoCampaign(campaign))
}

/// Campaigns that hold something, by number.
pub fn all_open(state: &State) -> Vec<&Campaign> {
    let mut ids: Vec<u64> = state.account.lots().iter().map(|l| l.campaign).collect();
    ids.sort_unstable();
    ids.dedup();
    ids.into_iter()
        .filter_map(|id| state.account.campaign(id))
        .collect()
}

/// What a campaign stands at now.
///
/// # Errors
/// There is no such campaign.
pub fn standing(state: &State, campaign: u64) -> Result<Standing, Refusal> {
    let found = state.account.standing(campaign);
    found.ok_or(Refusal::NoCampaign(campaign))
}

/// What is left of a campaign after an order that was evaluated, and what all of it makes, drawn
/// over a range of prices where one is given: the order is filled on a copy of the account.
///
/// # Errors
/// There is no such campaign, or what is left of it cannot be valued.
pub fn after(
    state: &State,
    quoter: &mut Quoter,
    campaign: u64,
    order: &Holding,
    e: &Evaluation,
    range: Option<(f64, f64)>,
) -> Result<Left, Refusal> {
    let found = open(state, campaign)?;
    let (campaign, symbol) = (found.id, found.symbol.clone());
    let underlying = underlying_of(state, &symbol)?;
    let quotes: Vec<Quote> = e.legs.iter().map(|l| l.market.quote).collect();
    let prices = desk::leg_prices(&e.unit, &quotes, e.price, underlying);
    let filled = order.legs().iter().zip(prices);
    let legs = filled
        .map(|(l, price)| FillLeg {
            instrument: l.instrument.clone(),
            quantity: l.quantity,
            price,
            terms: None,
        })
        .collect();
    let fill = Fill {
        order: campaign,
        at: state.clock.now,
        packages: e.packages,
        price: e.price,
        legs,
        fees: e.money.fees,
    };
    let mut account = desk::Account::clone(&state.account);
    account.fill(&fill, Some(campaign), underlying, String::new());
    let stands = account
        .standing(campaign)
        .ok_or(Refusal::NoCampaign(campaign))?;
    let (booked, holding) = (stands.booked(), stands.held.clone());
    let proposal = Proposal {
        range,
        ..stands.proposal()
    };
    let evaluation = if holding.is_empty() {
        None
    } else {
        Some(evaluate(state, quoter, &symbol, &proposal)?)
    };
    Ok(Left {
        holding,
        booked,
        evaluation,
    })
}

/// Working orders of a campaign that wait to close some of this, by number: together with another
/// they would close more than is held.
pub fn waiting(state: &State, campaign: u64, closes: &Holding) -> Vec<u64> {
    let home = state.account.home(campaign);
    let same = |o: &&Arc<desk::Order>| {
        let r = &o.request;
        let of_it = r.purpose.campaign().map(|c| state.account.home(c)) == Some(home);
        let legs = r.unit.legs().iter().enumerate();
        let mut closing = legs.filter(|(place, _)| r.closes(*place));
        of_it && closing.any(|(_, l)| closes.legs().iter().any(|c| c.instrument == l.instrument))
    };
    state.open_orders().filter(same).map(|o| o.id).collect()
}

/// What is coming of a campaign by itself: exercise, assignment, settlement, its end.
///
/// # Errors
/// There is no such campaign, or it holds nothing.
pub fn ahead(state: &State, quoter: &mut Quoter, campaign: u64) -> Result<Vec<Ahead>, Refusal> {
    let found = open(state, campaign)?;
    let underlying = underlying_of(state, &found.symbol)?;
    let (at, symbol, world) = (state.clock.now, &found.symbol, &state.world);
    let held = state.account.holding_of(found.id);
    let spot = spot_of(state, symbol);
    let legs = held.options().filter_map(|(contract, quantity)| {
        let ends = underlying.expiry_moment(contract);
        let mark = quoter.quote(world, contract, at)?.quote.mark();
        let deviation = world.total_variance(symbol, at, ends).unwrap_or(0.0).sqrt();
        Some(AheadLeg {
            quantity,
            ends,
            sessions: sessions_left(at, ends),
            mark,
            expected_move: spot.to_f64() * deviation,
            tonight: (quantity < 0)
                .then(|| exercised_tonight(world, quoter, contract, at))
                .flatten(),
            declined: state.declined.contains(contract),
            contract: contract.clone(),
        })
    });
    let legs: Vec<AheadLeg> = legs.collect();
    let last = legs.iter().map(|l| at.days_until(l.contract.expiry)).max();
    let dividends = last.map(|days| world.dividends(symbol, at, days));
    Ok(desk::ahead(&AheadView {
        at,
        underlying,
        spot,
        held: held.underlying_quantity(),
        legs,
        dividend: dividends.and_then(|all| all.first().copied()),
        cash: state.account.balance(desk::Book::Cash),
    }))
}

/// Sessions from now until an end, both their days included.
fn sessions_left(at: Moment, ends: Moment) -> i64 {
    let mut day = at.date();
    let mut count = 0;
    while day <= ends.date() && count < 10 {
        count += i64::from(is_session(day));
        day = next_session(day);
    }
    count
}

/// One package that closes what a campaign holds and opens the same at another expiration, strikes
/// moved by so many listed ones; and what it opens, in words. Shares and futures stay.
///
/// # Errors
/// The campaign holds no options, or a contract it would need is not listed there.
pub fn roll(
    state: &State,
    campaign: u64,
    expiry: jiff::civil::Date,
    strikes: i64,
) -> Result<(Package, String), Refusal> {
    let symbol = &open(state, campaign)?.symbol;
    let underlying = underlying_of(state, symbol)?;
    let at = state.clock.now;
    let wrong = |message: String| Refusal::Field {
        field: "expiry",
        message,
    };
    let e = state
        .world
        .expirations(symbol, at)
        .unwrap_or_default()
        .into_iter()
        .find(|e| e.date == expiry);
    let e = e.ok_or_else(|| wrong(format!("{symbol} has no expiration on {expiry}")))?;
    let listed = market::strikes(&state.world, symbol, &e, at);
    // Shares and futures stay, so the options alone say how many packages there are.
    let all = state.account.holding_of(campaign);
    let held: Holding = all
        .options()
        .map(|(c, quantity)| Leg::option(c.clone(), quantity))
        .collect();
    let held = held.unit();
    let opened = held.options().map(|(c, quantity)| {
        let nearest = (0..listed.len())
            .min_by_key(|i| (listed[*i] - c.strike).abs())
            .unwrap_or(0) as i64
            + strikes;
        let strike = usize::try_from(nearest).ok().and_then(|i| listed.get(i));
        let strike = strike.ok_or_else(|| Refusal::Field {
            field: "strikes",
            message: format!("no strike is listed {strikes} from {}", c.label()),
        })?;
        let contract = market::contract(&state.world, symbol, &e, c.kind, *strike)
            .ok_or_else(|| wrong(format!("{symbol} has no options on {expiry}")))?;
        Ok(Leg::option(contract, quantity))
    });
    let opened = Holding::new(opened.collect::<Result<Vec<_>, Refusal>>()?);
    let closed = held
        .options()
        .map(|(c, quantity)| Leg::option(c.clone(), -quantity));
    let both = Holding::new(closed.chain(opened.legs().iter().cloned()));
    if both.packages() != 1 || both.legs().len() != 2 * opened.legs().len() {
        return Err(wrong(
            "what is opened meets what is held; choose another expiration or other strikes".into(),
        ));
    }
    let words = format!(
        "{} {}, {}",
        desk::recognise(&opened, underlying).text,
        opened.strikes_label(),
        desk::short_date(expiry)
    );
    Ok((Package::new(both.legs().to_vec())?, words))
}
