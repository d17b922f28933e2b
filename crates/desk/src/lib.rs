//! **desk**: the trade.
//!
//! Contracts, structures, valuation, margin, orders and the account, as plain functions over plain
//! data. Money, prices and quantities are exact integers; model values are `f64`; `number` is the
//! one place where they meet. The desk knows no clock, no file, no network and no exchange: the
//! moment, the market and the account are arguments. Nothing above this crate computes a profit, a
//! margin or a price of its own.

mod account;
mod account_rules;
mod ahead;
mod bell;
mod bench;
pub mod beta;
pub mod book;
pub mod calendar;
mod carry;
mod checks;
mod contract;
mod day;
mod day_trade;
mod decision;
mod entry_price;
mod evaluate;
mod fact;
pub mod fills;
mod go_to;
mod history;
mod holding;
mod horizon;
mod instrument;
pub mod life;
mod listed_packages;
mod margin;
mod naming;
mod number;
pub mod order;
mod outline;
mod package;
mod package_quote;
mod part_way;
mod plain;
pub mod position;
mod price_style;
mod proposal;
pub mod regime;
pub mod rounds;
pub mod rules;
mod scene;
mod shape;
mod smile;
mod template;
pub mod ticket;
mod time;
mod underlying;
mod valuation;
mod words;

pub use account::{
    Account, Book, Campaign, CampaignTotals, Cause, Chapter, ChapterKind, Entry, EntryKind, Label,
    Lot, SETTLEMENT_SESSIONS, Share, Standing, Stretch, average, trail,
};
pub use account_rules::{AccountKind, AccountRules, HIGHEST_LEVEL, LEVELS, PORTFOLIO_LEAST};
pub use ahead::{Ahead, AheadLeg, AheadView, LAST_WEEK, ahead};
pub use bell::{Bell, BellSide, Listens, Occurrence, Watched};
pub use bench::{
    Along, Bench, Chances, ChancesAsked, ChancesAt, Compared, ComparedRow, DateLine, GreekCurves,
    Grid, GridPrice, Judgement, Law, MOST_GRID, Map, Moved, Span, Steps, Sticky, bench, best_of,
    shared_prices, units_controlled,
};
pub use book::{BookGreeks, Strip, Zone, bands, deviations_to_nearest, zones_of};
pub use calendar::{Cycle, Expiration, ListingRule};
pub use carry::Carry;
pub use checks::{Check, CheckCode, Verdict};
pub use contract::{Contract, SymbolError, strike_label};
pub use day::{AtRisk, DAY_MOVES, DAY_VERSION, Day, DayFigures, DayGreeks, drawdowns};
pub use day_trade::{
    Change, DAY_TRADE_RULES, DayTrade, DayTradeRule, DayTradeSwitch, DayTrading, day_trade_rule,
    day_trading,
};
pub use decision::{Answer, Decision, OwnDate, Until};
pub use entry_price::EntryPrice;
pub use evaluate::{
    CURVE_POINTS, Curves, Evaluation, EvaluationError, LegReport, evaluate, margined, money_effect,
    money_taken,
};
pub use fact::{ClockState, Fact, Journalled, Saved};
pub use go_to::{GoToError, go_to};
pub use history::{VolRank, realised, vol_rank};
pub use holding::{Holding, Leg};
pub use horizon::Horizon;
pub use instrument::Instrument;
pub use listed_packages::{ListedPackage, Listing, ListingView, first_width, widths};
pub use margin::{
    FEW, MarginBasis, MarginHolding, MarginLeg, NeedsLevel, OneContract, Part, Requirement,
    at_move, levels, one_by_one, requirement, requirement_of_few,
};
pub use naming::{Name, Nature, Structure, recognise};
pub use number::{Decimal, Money, NumberError, Price};
pub use order::{
    Easing, Fill, FillLeg, FillTerms, Level, Link, Order, OrderState, Pricing, Progress, Purpose,
    Request, TimeInForce, Trigger, TriggerSide, Turn,
};
pub use outline::{Extreme, Outline};
pub use package::{MOST_CONTRACTS, MOST_LEGS, MOST_UNITS, Package, PackageError};
pub use package_quote::{Ladder, PackageQuote, Quote, leg_prices, package_quote};
pub use part_way::{part_way, part_way_price, part_way_step};
pub use plain::{CampaignFigures, campaign_sentence, tails};
pub use price_style::PriceStyle;
pub use proposal::{
    AccountView, Caution, Event, EventKind, MarketView, MoneyEffect, Proposal, first_expiry,
};
pub use quant::{Accuracy, Kind, Lognormal, Style, event_move};
pub use scene::Shift;
pub use shape::{Even, Extent, Kink, Received, Shape, profile};
pub use smile::{Smile, SmileQuote};
pub use template::Template;
pub use ticket::OrderError;
pub use time::{Moment, MomentError, day_number, short_date};
pub use underlying::{
    Fees, LISTED_AHEAD, MarginClass, ScanRates, Settlement, TickTable, Underlying, UnderlyingKind,
};
pub use valuation::{LegMarket, Legs, PositionGreeks, Priced, PricedIn, plain_terms, terms_of};
pub use words::{Said, SaidOf};
