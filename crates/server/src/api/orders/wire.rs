//! Orders as they go over the wire.

use desk::{Fill, Leg, Level, Order, Price, PriceStyle, Pricing, TimeInForce, TriggerSide};
use engine::State;
use serde::Serialize;
use utoipa::ToSchema;

use crate::api::wire::words::OrderStateWord;
use crate::api::wire::{LegWire, NetPrice, instrument_label, legs_wire, net_price};

/// One line of an order's story.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct OrderEventWire {
    /// The moment at which it happened, with its offset.
    pub at: String,
    /// In plain words.
    pub what: String,
}

/// One leg of an execution.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct FillLegWire {
    /// "195 call, 18 Apr".
    pub label: String,
    /// Signed contracts, shares or futures.
    pub quantity: i64,
    /// Price per unit.
    pub price: String,
}

/// One execution, of one package or several at one price.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct FillWire {
    /// The moment of the execution, with its offset.
    pub at: String,
    /// How many whole packages were filled.
    pub packages: i64,
    /// Net price of one.
    pub price: NetPrice,
    /// Commissions of the execution, in money.
    pub fees: String,
    /// Price of each leg; they sum to the net.
    pub legs: Vec<FillLegWire>,
}

/// A limit that moves by itself.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct EasingWire {
    /// By how much the limit gives way each time.
    pub step: String,
    /// Seconds between two.
    pub every: i64,
    /// Where it ends.
    pub to: NetPrice,
}

/// An order with all that has happened to it.
#[derive(Debug, Clone, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct OrderWire {
    /// The number by which it is named.
    pub id: u64,
    /// Given by the client.
    pub client_id: String,
    /// The moment at which it was placed, with its offset.
    pub placed: String,
    /// The symbol of the underlying.
    pub symbol: String,
    /// "iron condor 205/200 · 175/165".
    pub name: String,
    /// The legs of one package.
    pub unit: Vec<LegWire>,
    /// "sell 1 × 195 call, 18 Apr" per leg.
    pub legs: Vec<String>,
    /// Packages asked for.
    pub quantity: i64,
    /// How many packages have been filled.
    pub filled: i64,
    /// Limit now in force; absent for a market order.
    pub limit: Option<NetPrice>,
    /// Average net price of what is filled.
    pub fill_price: Option<NetPrice>,
    /// "day", "good till cancelled", "good till 18 Apr", "immediate or cancel", "fill or kill".
    pub time_in_force: String,
    /// "stop at 2.40 debit, watching the middle"; absent without a trigger.
    pub held: Option<String>,
    /// How its limit is eased now.
    pub easing: Option<EasingWire>,
    /// Executions, oldest first.
    pub fills: Vec<FillWire>,
    /// The order it waits for.
    pub after: Option<u64>,
    /// Open orders that it cancels, and that cancel it.
    pub cancels: Vec<u64>,
    /// Where it stands.
    pub state: OrderStateWord,
    /// It can still be filled, changed or cancelled.
    pub open: bool,
    /// The campaign it closes or rolls.
    pub closes: Option<u64>,
    /// What that campaign goes by.
    pub campaign: Option<String>,
    /// It opens other legs in that campaign.
    pub rolls: bool,
    /// Its story, oldest first.
    pub events: Vec<OrderEventWire>,
}

fn event_words(e: &desk::order::Event, style: PriceStyle) -> String {
    use desk::order::Event as E;
    let priced = |p: Price| style.net(p);
    match e {
        E::Accepted => "accepted by the exchange".into(),
        E::Repriced(p) => format!("limit changed to {}", priced(*p)),
        E::Resized(n) => format!(
            "{} {}",
            n.abs(),
            if *n > 0 {
                "more asked for"
            } else {
                "fewer asked for"
            }
        ),
        E::Eased(Some(e)) => format!(
            "eased by {} every {} s to {}",
            style.write(e.step),
            e.every,
            priced(e.to)
        ),
        E::Eased(None) => "easing stopped".into(),
        E::Tied(link) => match (link.after, link.group) {
            (Some(after), _) => format!("waits for order {after}"),
            (None, Some(_)) => "tied: one fills, the others fall away".into(),
            (None, None) => "untied".into(),
        },
        E::Activated(n) => format!("{n} became active"),
        E::Forgone(n) => format!("{n} that waited fell away"),
        E::Reduced(n) => format!("{n} fell away"),
        E::Trailed(p) => format!("the lowest price seen is {}", priced(*p)),
        E::Triggered(p) => format!("triggered by {}", priced(*p)),
        E::Filled(f) => format!("filled {} at {}", f.packages, priced(f.price)),
        E::Cancelled => "cancelled".into(),
        E::Expired(why) => format!("ended: {why}"),
    }
}

pub(crate) fn leg_words(l: &Leg) -> String {
    let side = if l.quantity > 0 { "buy" } else { "sell" };
    let times = if l.instrument.option().is_some() {
        " ×"
    } else {
        ""
    };
    format!(
        "{side} {}{times} {}",
        l.quantity.abs(),
        instrument_label(&l.instrument)
    )
}

fn stands(t: TimeInForce) -> String {
    match t {
        TimeInForce::Day => "day".into(),
        TimeInForce::GoodTillCancelled => "good till cancelled".into(),
        TimeInForce::GoodTillDate(date) => format!("good till {}", desk::short_date(date)),
        TimeInForce::ImmediateOrCancel => "immediate or cancel".into(),
        TimeInForce::FillOrKill => "fill or kill".into(),
    }
}

/// What keeps an order from the market, in words.
fn held(o: &Order, style: PriceStyle) -> Option<String> {
    let trigger = o.request.trigger?;
    let watches = match trigger.side {
        TriggerSide::Mark => "the middle",
        TriggerSide::Cross => "the cross",
        TriggerSide::Rest => "the rest",
    };
    let priced = |p: Price| style.net(p);
    let level = o.trigger_level().map(priced);
    Some(match (trigger.level, level) {
        (Level::Trailing(by), Some(level)) => format!(
            "stop {} above the lowest, now at {level}, watching {watches}",
            style.write(by)
        ),
        (Level::Trailing(by), None) => format!(
            "stop {} above the lowest, watching {watches}",
            style.write(by)
        ),
        (Level::At(p), _) => format!("stop at {}, watching {watches}", priced(p)),
    })
}

/// What happened; of the prices that a trailing stop followed the last alone.
fn story(o: &Order, style: PriceStyle) -> Vec<OrderEventWire> {
    let last = o
        .events
        .iter()
        .rposition(|(_, e)| matches!(e, desk::order::Event::Trailed(_)));
    let kept = o
        .events
        .iter()
        .enumerate()
        .filter(|(i, (_, e))| !matches!(e, desk::order::Event::Trailed(_)) || Some(*i) == last);
    kept.map(|(_, (at, e))| OrderEventWire {
        at: at.to_string(),
        what: event_words(e, style),
    })
    .collect()
}

fn fill_wire(f: &Fill, style: PriceStyle) -> FillWire {
    let legs = f.legs.iter().map(|l| FillLegWire {
        label: instrument_label(&l.instrument),
        quantity: l.quantity,
        price: style.write(l.price),
    });
    FillWire {
        at: f.at.to_string(),
        packages: f.packages,
        price: net_price(f.price, style),
        fees: f.fees.to_string(),
        legs: legs.collect(),
    }
}

/// An order as it goes over the wire; nothing for an underlying that is not known.
pub(crate) fn order(o: &Order, state: &State) -> Option<OrderWire> {
    let (r, link) = (&o.request, o.link());
    let underlying = state.world.underlying(&r.symbol)?;
    let style = underlying.style_of_price;
    let filled = o.filled();
    let paid: i64 = o.fills().map(|f| f.price.raw() * f.packages).sum();
    let stands_now = o.state();
    Some(OrderWire {
        id: o.id,
        client_id: r.client_id.clone(),
        placed: o.placed.to_string(),
        symbol: r.symbol.clone(),
        name: engine::orders::order_words(o, underlying),
        unit: legs_wire(&r.unit),
        legs: r.unit.legs().iter().map(leg_words).collect(),
        quantity: o.asked(),
        filled,
        limit: if let Pricing::Limit(p) = o.pricing() {
            Some(net_price(p, style))
        } else {
            None
        },
        fill_price: (filled > 0).then(|| net_price(desk::Price::from_raw(paid / filled), style)),
        time_in_force: stands(r.time_in_force),
        held: held(o, style),
        easing: o
            .easing()
            .filter(|_| stands_now.is_open())
            .map(|(e, _)| EasingWire {
                step: style.write(e.step),
                every: e.every,
                to: net_price(e.to, style),
            }),
        fills: o.fills().map(|f| fill_wire(f, style)).collect(),
        after: link.after,
        cancels: if link.group.is_some() {
            state
                .open_orders()
                .filter(|other| other.id != o.id && other.link().group == link.group)
                .map(|other| other.id)
                .collect()
        } else {
            Vec::new()
        },
        state: stands_now.into(),
        open: stands_now.is_open(),
        closes: r.purpose.campaign(),
        campaign: r
            .purpose
            .campaign()
            .and_then(|c| state.account.title(c, underlying)),
        rolls: matches!(r.purpose, desk::Purpose::Roll(_)),
        events: story(o, style),
    })
}
