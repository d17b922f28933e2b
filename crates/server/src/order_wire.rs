//! Orders as they go over the wire.

use desk::{Kind, Leg, Order, Pricing, TimeInForce, strike_label};
use serde::Serialize;
use utoipa::ToSchema;

use crate::wire::{LegWire, NetPrice, legs_wire, net_price};

/// One line of an order's story.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct OrderEventWire {
    /// When.
    pub at: String,
    /// In plain words.
    pub what: String,
}

/// An order.
#[derive(Debug, Clone, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct OrderWire {
    /// Number.
    pub id: u64,
    /// Given by the client.
    pub client_id: String,
    /// When placed.
    pub placed: String,
    /// Underlying symbol.
    pub symbol: String,
    /// "iron condor 205/200 · 175/165".
    pub name: String,
    /// One package.
    pub unit: Vec<LegWire>,
    /// "sell 1 × 195 call, 18 Apr" per leg.
    pub legs: Vec<String>,
    /// Packages asked for.
    pub quantity: i64,
    /// Packages filled.
    pub filled: i64,
    /// Limit now in force; absent for a market order.
    pub limit: Option<NetPrice>,
    /// Average net price of what is filled.
    pub fill_price: Option<NetPrice>,
    /// "day" or "good till cancelled".
    pub time_in_force: String,
    /// "working", "partly filled", "filled", "cancelled", "expired".
    pub state: String,
    /// It can still be filled, changed or cancelled.
    pub open: bool,
    /// The campaign it closes.
    pub closes: Option<u64>,
    /// Its story, oldest first.
    pub events: Vec<OrderEventWire>,
}

fn told(e: &desk::order::Event) -> String {
    use desk::order::Event as E;
    let price = |p: desk::Price| match p.raw().signum() {
        -1 => format!("{} credit", p.abs()),
        _ => format!("{p} debit"),
    };
    match e {
        E::Accepted => "accepted by the exchange".into(),
        E::Repriced(p) => format!("limit changed to {}", price(*p)),
        E::Filled(f) => format!("filled {} at {}", f.packages, price(f.price)),
        E::Cancelled => "cancelled".into(),
        E::Expired(why) => format!("ended: {why}"),
    }
}

pub(crate) fn leg_words(l: &Leg) -> String {
    let side = if l.quantity > 0 { "buy" } else { "sell" };
    let kind = if l.contract.kind == Kind::Call { "call" } else { "put" };
    format!("{side} {} × {} {kind}, {}", l.quantity.abs(), strike_label(l.contract.strike), desk::short_date(l.contract.expiry))
}

pub(crate) fn order(o: &Order) -> OrderWire {
    let r = &o.request;
    let filled = o.filled();
    let paid: i64 = o.fills().map(|f| f.price.raw() * f.packages).sum();
    let state = o.state();
    OrderWire {
        id: o.id,
        client_id: r.client_id.clone(),
        placed: o.placed.to_string(),
        symbol: r.symbol.clone(),
        name: crate::state::told(o),
        unit: legs_wire(&r.unit),
        legs: r.unit.legs().iter().map(leg_words).collect(),
        quantity: r.quantity,
        filled,
        limit: if let Pricing::Limit(p) = o.pricing() { Some(net_price(p)) } else { None },
        fill_price: (filled > 0).then(|| net_price(desk::Price::from_raw(paid / filled))),
        time_in_force: if r.time_in_force == TimeInForce::Day { "day" } else { "good till cancelled" }.into(),
        state: state.word().into(),
        open: state.is_open(),
        closes: r.closes,
        events: o.events.iter().map(|(at, e)| OrderEventWire { at: at.to_string(), what: told(e) }).collect(),
    }
}
