//! Things worth a look before money moves, each with its reason and its number.

use crate::calendar::{is_open, next_open};
use crate::contract::Contract;
use crate::holding::Holding;
use crate::horizon::Horizon;
use crate::naming::{Name, Nature, Structure};
use crate::number::{Money, Price};
use crate::package_quote::PackageQuote;
use crate::proposal::{AccountView, Caution, MarketView, MoneyEffect, Proposal};
use crate::rules::{Condition, Measure, Side, Subject, TradeSeen, ruling};
use crate::shape::Extent;
use crate::ticket::OrderError;
use crate::time::short_date;
use crate::valuation::LegMarket;
use quant::Kind;

/// How much a check matters.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Verdict {
    /// Looked at and in order.
    Fine,
    /// Worth knowing; nothing has to be ticked for it.
    Note,
    /// Likely to cost money.
    Warning,
    /// An order like this is refused.
    Blocking,
}

/// What is looked at: the same in every language and with any number.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum CheckCode {
    /// Whether the exchange is open.
    Session,
    /// Quotes that are too old to be filled against.
    StaleQuotes,
    /// A leg whose market is not to be relied on.
    DoubtfulQuote,
    /// Nothing is known of dividends.
    NoDividends,
    /// How wide the market is; its value is the width in percent of the middle.
    MarketWidth,
    /// How many contracts are open in the thinnest leg.
    OpenInterest,
    /// How far the price is from the theoretical value.
    Theoretical,
    /// A sold option that may be assigned early; its value is the dividend, of a put nothing.
    EarlyAssignment,
    /// Nobody bids for what is sold.
    NoBid,
    /// A dated event inside the life of it.
    Event,
    /// A loss without limit.
    UnlimitedLoss,
    /// What normally brings money in costs some; its value is how much.
    Costs,
    /// What normally costs money pays some; its value is how much.
    Pays,
    /// A rule of the trader's own about new trades; it is about the measure, its value is what was
    /// seen.
    MyRule,
    /// Whether buying power suffices.
    BuyingPower,
    /// What the rules of the account refuse.
    Rules,
    /// Closing it leaves something uncovered; its value is what the margin rises by.
    Uncovers,
    /// Closing it is a day trade.
    DayTrade,
}

/// One thing that a ticket was looked at for, and what was found.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Check {
    /// How it came out.
    pub verdict: Verdict,
    /// What was looked at.
    pub code: CheckCode,
    /// Which leg or event it is about; empty where it is about the whole.
    pub about: String,
    /// The number that it turns on, where it has one: who has read a warning has read it at this
    /// value.
    pub value: Option<String>,
    /// The reason with its number.
    pub text: String,
}

/// A market wider than this share of its middle is called wide (common practice).
const WIDE_PERCENT: i64 = 10;
/// Fewer open contracts than this is called thin (common practice).
const THIN: i64 = 100;

/// What is looked at.
pub(crate) struct Checked<'a> {
    pub proposal: &'a Proposal,
    pub market: &'a MarketView<'a>,
    pub quote: &'a PackageQuote,
    /// Net price used.
    pub price: Price,
    /// Theoretical value of one package.
    pub theoretical: f64,
    pub name: &'a Name,
    pub horizon: &'a Horizon,
    pub money: &'a MoneyEffect,
    pub account: &'a AccountView,
}

/// Every check of a ticket. It is long because it is the list of them, in the order in which they are shown:
/// each looks at the whole answer and at no other check.
pub(crate) fn checks(all: &Checked<'_>) -> Vec<Check> {
    let Checked {
        proposal,
        market,
        quote,
        price,
        theoretical,
        name,
        horizon,
        money,
        account,
    } = *all;
    let mut out = Vec::new();
    let mut tell = |verdict, (code, about, value): (CheckCode, String, Option<String>), text| {
        out.push(Check {
            verdict,
            code,
            about,
            value,
            text,
        });
    };
    let whole = |code| (code, String::new(), None);
    let valued = |code, value: String| (code, String::new(), Some(value));
    if !is_open(market.at) {
        let open = next_open(market.at);
        tell(
            Verdict::Note,
            whole(CheckCode::Session),
            format!(
                "the exchange is closed; an order waits for the opening on {}",
                short_date(open.date())
            ),
        );
    }
    for caution in &market.cautions {
        let (verdict, code, about, text) = caution.check();
        tell(verdict, (code, about, None), text);
    }
    let width = quote.cross - quote.rest;
    let middle = quote.middle.abs();
    match (width.raw() * 100).checked_div(middle.raw()) {
        Some(percent) if percent <= WIDE_PERCENT => tell(
            Verdict::Fine,
            valued(CheckCode::MarketWidth, percent.to_string()),
            format!("market {width} wide, {percent} % of the middle"),
        ),
        Some(percent) => tell(
            Verdict::Note,
            valued(CheckCode::MarketWidth, percent.to_string()),
            format!("wide market: {width}, {percent} % of the middle"),
        ),
        None => tell(
            Verdict::Note,
            whole(CheckCode::MarketWidth),
            format!("the middle is zero and the market {width} wide"),
        ),
    }
    let options = proposal
        .structure
        .legs()
        .iter()
        .zip(&market.legs)
        .filter(|(l, _)| l.instrument.option().is_some());
    let known = options.filter_map(|(leg, m)| Some((leg, m.quote.open_interest?)));
    if let Some((leg, open)) = known.min_by_key(|(_, open)| *open) {
        if open < THIN {
            tell(
                Verdict::Note,
                (
                    CheckCode::OpenInterest,
                    leg.instrument.to_string(),
                    Some(open.to_string()),
                ),
                format!(
                    "thin: {open} contracts open in the {}",
                    leg.instrument.label()
                ),
            );
        } else {
            tell(
                Verdict::Fine,
                valued(CheckCode::OpenInterest, open.to_string()),
                format!("at least {open} contracts open in each leg"),
            );
        }
    }
    let dear = price.to_f64() - theoretical;
    let value = format!(
        "its theoretical value of {:.2} {}",
        theoretical.abs(),
        if theoretical < 0.0 { "credit" } else { "debit" }
    );
    // Half the width is what crossing costs; beyond it the price is off.
    let off = width.to_f64() / 2.0 + 0.005;
    if dear > off {
        tell(
            Verdict::Note,
            valued(CheckCode::Theoretical, format!("{dear:.2}")),
            format!("{dear:.2} worse than {value}"),
        );
    } else if dear < -off {
        tell(
            Verdict::Note,
            valued(CheckCode::Theoretical, format!("{dear:.2}")),
            format!("{:.2} better than {value}; it may never fill", -dear),
        );
    } else {
        tell(
            Verdict::Fine,
            valued(CheckCode::Theoretical, format!("{dear:.2}")),
            format!(
                "within {:.2} of its theoretical value",
                dear.abs().max(0.005)
            ),
        );
    }
    for (leg, m) in proposal.structure.legs().iter().zip(&market.legs) {
        // What closes a bought option leaves nothing that could be assigned.
        if let Some(c) = leg
            .instrument
            .option()
            .filter(|_| leg.quantity < 0 && !proposal.closing)
            && let Some((value, why)) = early_assignment(c, m, market)
        {
            let about = c.to_string();
            tell(
                Verdict::Warning,
                (CheckCode::EarlyAssignment, about, value),
                why,
            );
        }
        if leg.quantity < 0 && m.quote.bid.raw() == 0 {
            tell(
                Verdict::Warning,
                (CheckCode::NoBid, leg.instrument.to_string(), None),
                format!("nobody bids for the {}", leg.instrument.label()),
            );
        }
    }
    let last = proposal
        .structure
        .options()
        .map(|(c, _)| c.expiry)
        .max()
        .unwrap_or(horizon.date);
    for event in market
        .events
        .iter()
        .filter(|e| e.date >= market.at.date() && e.date <= last)
    {
        tell(
            Verdict::Note,
            (CheckCode::Event, event.date.to_string(), None),
            format!(
                "{} on {}, inside the life of this",
                event.what,
                short_date(event.date)
            ),
        );
    }
    if !proposal.closing {
        if horizon.shape.least == Extent::Unlimited {
            tell(
                Verdict::Warning,
                whole(CheckCode::UnlimitedLoss),
                "the loss has no limit as the price rises".into(),
            );
        }
        match name.nature {
            Nature::Credit if money.cash < Money::ZERO => tell(
                Verdict::Warning,
                valued(CheckCode::Costs, (-money.cash).to_string()),
                format!(
                    "a {} normally brings money in; this one costs {}",
                    name.text,
                    (-money.cash).grouped()
                ),
            ),
            Nature::Debit if money.cash > Money::ZERO => tell(
                Verdict::Warning,
                valued(CheckCode::Pays, money.cash.to_string()),
                format!(
                    "a {} normally costs money; this one pays {}",
                    name.text,
                    money.cash.grouped()
                ),
            ),
            _ => {}
        }
    }
    if !proposal.closing {
        let seen = trade_seen(&proposal.structure, market, (quote, horizon), account.value);
        let structure = Structure::of(&proposal.structure, market.underlying);
        let of_it = (structure, market.underlying.symbol.as_str(), None);
        for r in ruling(&account.trade_rules, Subject::Trade, of_it) {
            let condition = r.rule.condition;
            let about = (CheckCode::MyRule, condition.measure.facts().word.to_owned());
            let (verdict, value, text) = held_against(condition, &seen);
            tell(verdict, (about.0, about.1, value), text);
        }
    }
    let refusals = money.refusals(proposal.closing, account);
    if money.unbearable(proposal.closing)
        && !refusals.iter().any(|r| matches!(r, OrderError::Deficit(_)))
    {
        tell(
            Verdict::Blocking,
            valued(CheckCode::BuyingPower, money.takes().to_string()),
            format!(
                "needs {} of buying power; {} is available",
                money.takes().grouped(),
                money.buying_power_now.grouped()
            ),
        );
    }
    for refusal in refusals {
        tell(
            Verdict::Blocking,
            whole(CheckCode::Rules),
            refusal.to_string(),
        );
    }
    if proposal.closing && money.requirement_change > Money::ZERO {
        tell(
            Verdict::Warning,
            valued(CheckCode::Uncovers, money.requirement_change.to_string()),
            format!(
                "closing this leaves something uncovered: the margin held rises by {}",
                money.requirement_change.grouped()
            ),
        );
    }
    out
}

/// A rule about new trades held against one.
fn held_against(condition: Condition, seen: &TradeSeen) -> (Verdict, Option<String>, String) {
    let facts = condition.measure.facts();
    let says = format!(
        "your rule says {} {}",
        match condition.side {
            Side::Above => "at most",
            Side::Below => "at least",
        },
        facts.unit.write(&condition.limit.to_string())
    );
    let risk = matches!(
        condition.measure,
        Measure::TradeRisk | Measure::TradeRiskMoney
    );
    match seen.figure(condition.measure) {
        None if risk && seen.at_risk.is_none() => {
            let text = format!("{}: without a limit; {says}", facts.noun);
            (Verdict::Warning, None, text)
        }
        None => {
            let text = format!("{}: not known; {says}", facts.noun);
            (Verdict::Note, None, text)
        }
        Some(figure) => {
            let verdict = if condition.rings(figure) {
                Verdict::Warning
            } else {
                Verdict::Fine
            };
            let value = figure.words(facts.unit);
            let text = format!("{}: {value}; {says}", facts.noun);
            (verdict, Some(value), text)
        }
    }
}

/// Why a sold option may be assigned early, if it may, and the dividend that is the reason (domain: a call before an ex-date whose
/// dividend is more than its time value; a put whose time value is less than the interest on its
/// strike).
fn early_assignment(
    c: &Contract,
    m: &LegMarket,
    market: &MarketView<'_>,
) -> Option<(Option<String>, String)> {
    if market.underlying.style != quant::Style::American {
        return None;
    }
    let intrinsic = c.exercise_value(market.spot);
    if intrinsic <= Price::ZERO {
        return None;
    }
    let (time_value, expiry) = (
        m.quote.mark() - intrinsic,
        market.underlying.expiry_moment(c),
    );
    match c.kind {
        Kind::Call => {
            let (ex, cash) = market
                .carry
                .dividends(market.at, expiry)
                .find(|(_, cash)| *cash > time_value)?;
            let why = format!(
                "the sold {} may be assigned before {}: its time value {time_value} is less than \
                 the dividend {cash}",
                c.label(),
                short_date(ex.date())
            );
            Some((Some(cash.to_string()), why))
        }
        Kind::Put => {
            let carried = c.strike.to_f64() * -libm::expm1(-m.rate * market.at.years_until(expiry));
            (time_value.to_f64() < carried).then(|| {
                let why = format!(
                    "the sold {} may be assigned early: its time value {time_value} is less than \
                     the interest on its strike",
                    c.label()
                );
                (None, why)
            })
        }
    }
}

/// What the trader's rules about new trades look at.
pub(crate) fn trade_seen(
    structure: &Holding,
    market: &MarketView<'_>,
    (quote, horizon): (&PackageQuote, &Horizon),
    value: Money,
) -> TradeSeen {
    let options = structure.legs().iter().zip(&market.legs);
    let open = options
        .filter(|(l, _)| l.instrument.option().is_some())
        .map(|(_, m)| m.quote.open_interest);
    // Where one leg's is not known, neither is that of the thinnest.
    let open: Option<Vec<i64>> = open.collect();
    let least = horizon.shape.least.limited();
    TradeSeen {
        at_risk: least.map(|l| (-l).max(Money::ZERO)),
        account: value,
        open_interest: open.and_then(|all| all.into_iter().min()),
        width: Some((quote.cross - quote.rest, quote.middle.abs())),
    }
}

impl Caution {
    fn check(&self) -> (Verdict, CheckCode, String, String) {
        match self {
            Caution::Waits(why) => (
                Verdict::Warning,
                CheckCode::StaleQuotes,
                String::new(),
                format!("{why}: nothing is filled against them until new ones come"),
            ),
            Caution::Doubt(contract, why) => (
                Verdict::Warning,
                CheckCode::DoubtfulQuote,
                contract.to_string(),
                format!("{}: {why}; nothing is filled against it", contract.label()),
            ),
            Caution::NoDividends => (
                Verdict::Note,
                CheckCode::NoDividends,
                String::new(),
                "no dividends known: calls near an ex-date may be misjudged".into(),
            ),
        }
    }
}
