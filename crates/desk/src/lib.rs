//! **desk**: the trade.
//!
//! Contracts, structures, valuation, margin, orders and the account, as plain functions over plain
//! data. Money, prices and quantities are exact integers; model values are `f64`; `number` is the one
//! place where they meet. The desk knows no clock, no file, no network and no exchange: the moment,
//! the market and the account are arguments. Nothing above this crate computes a profit, a margin or
//! a price of its own.

mod account;
mod assignment;
pub mod calendar;
mod checks;
mod contract;
mod evaluate;
mod horizon;
mod instrument;
mod margin;
mod naming;
mod number;
pub mod order;
mod package;
mod plain;
pub mod position;
mod scene;
mod shape;
mod structure;
mod time;
mod valuation;

pub use account::{Account, Book, CampaignTotals, Entry, EntryKind, Lot};
pub use calendar::{Cycle, Expiration, ListingRule};
pub use checks::{Check, Verdict};
pub use contract::{Contract, SymbolError, strike_label};
pub use evaluate::{
    AccountView, CURVE_POINTS, Curves, Evaluation, EvaluationError, Event, LegReport, MarketView, MoneyEffect, Proposal, evaluate, margin_legs,
    money_effect,
};
pub use horizon::Horizon;
pub use instrument::{MarginClass, Settlement, TickTable, Underlying};
pub use margin::{MarginBasis, MarginLeg, Part, Requirement, requirement};
pub use naming::{Name, Nature, recognise};
pub use number::{Money, NumberError, Price};
pub use order::{Fill, FillLeg, Level, Link, Order, OrderError, Pricing, Request, State, TimeInForce, Trigger, TriggerSide};
pub use package::{PackageQuote, Quote, leg_prices, package_quote};
pub use plain::tails;
pub use quant::{Kind, Style};
pub use shape::{Even, Extent, Kink, Shape};
pub use structure::{Leg, MOST_CONTRACTS, MOST_LEGS, Structure, StructureError};
pub use time::{Moment, day_number, short_date};
pub use valuation::{LegMarket, Legs, PositionGreeks, terms_of};
