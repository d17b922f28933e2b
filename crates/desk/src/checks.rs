//! Things worth a look before money moves, each with its reason and its number.

use crate::calendar::{is_open, next_open};
use crate::contract::Contract;
use crate::evaluate::{AccountView, MarketView, MoneyEffect, Proposal};
use crate::horizon::Horizon;
use crate::naming::{Name, Nature};
use crate::number::{Money, Price};
use crate::package_quote::PackageQuote;
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
    /// Worth knowing.
    Note,
    /// Likely to cost money.
    Warning,
    /// An order like this is refused.
    Blocking,
}

/// One check.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Check {
    /// How it came out.
    pub verdict: Verdict,
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
    let mut say = |verdict, text: String| out.push(Check { verdict, text });
    if !is_open(market.at) {
        let open = next_open(market.at);
        say(
            Verdict::Note,
            format!(
                "the exchange is closed; an order waits for the opening on {}",
                short_date(open.date())
            ),
        );
    }
    let width = quote.cross - quote.rest;
    let middle = quote.middle.abs();
    match (width.raw() * 100).checked_div(middle.raw()) {
        Some(percent) if percent <= WIDE_PERCENT => say(
            Verdict::Fine,
            format!("market {width} wide, {percent} % of the middle"),
        ),
        Some(percent) => say(
            Verdict::Note,
            format!("wide market: {width}, {percent} % of the middle"),
        ),
        None => say(
            Verdict::Note,
            format!("the middle is zero and the market {width} wide"),
        ),
    }
    let options = proposal
        .structure
        .legs()
        .iter()
        .zip(&market.legs)
        .filter(|(l, _)| l.instrument.option().is_some());
    let thinnest = options.min_by_key(|(_, m)| m.quote.open_interest);
    if let Some((leg, m)) = thinnest {
        let open = m.quote.open_interest;
        if open < THIN {
            say(
                Verdict::Note,
                format!(
                    "thin: {open} contracts open in the {}",
                    leg.instrument.label()
                ),
            );
        } else {
            say(
                Verdict::Fine,
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
        say(Verdict::Note, format!("{dear:.2} worse than {value}"));
    } else if dear < -off {
        say(
            Verdict::Note,
            format!("{:.2} better than {value}; it may never fill", -dear),
        );
    } else {
        say(
            Verdict::Fine,
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
            && let Some(why) = early_assignment(c, m, market)
        {
            say(Verdict::Warning, why);
        }
        if leg.quantity < 0 && m.quote.bid.raw() == 0 {
            say(
                Verdict::Warning,
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
        say(
            Verdict::Note,
            format!(
                "{} on {}, inside the life of this",
                event.what,
                short_date(event.date)
            ),
        );
    }
    if !proposal.closing {
        if horizon.shape.least == Extent::Unlimited {
            say(
                Verdict::Warning,
                "the loss has no limit as the price rises".into(),
            );
        }
        match name.nature {
            Nature::Credit if money.cash < Money::ZERO => say(
                Verdict::Warning,
                format!(
                    "a {} normally brings money in; this one costs {}",
                    name.text,
                    (-money.cash).grouped()
                ),
            ),
            Nature::Debit if money.cash > Money::ZERO => say(
                Verdict::Warning,
                format!(
                    "a {} normally costs money; this one pays {}",
                    name.text,
                    money.cash.grouped()
                ),
            ),
            _ => {}
        }
    }
    if let (Some(percent), Extent::Limited { profit, .. }, false) =
        (account.risk_percent, &horizon.shape.least, proposal.closing)
    {
        let share = -profit.to_f64() / account.value.to_f64().max(1.0) * 100.0;
        let verdict = if share > percent {
            Verdict::Warning
        } else {
            Verdict::Fine
        };
        say(
            verdict,
            format!("{share:.1} % of the account at risk; your rule says at most {percent} %"),
        );
    }
    let refusals = money.refusals(proposal.closing, account);
    if money.unbearable(proposal.closing)
        && !refusals.iter().any(|r| matches!(r, OrderError::Deficit(_)))
    {
        say(
            Verdict::Blocking,
            format!(
                "needs {} of buying power; {} is available",
                money.takes().grouped(),
                money.buying_power_now.grouped()
            ),
        );
    }
    for refusal in refusals {
        say(Verdict::Blocking, refusal.to_string());
    }
    if proposal.closing && money.requirement_change > Money::ZERO {
        say(
            Verdict::Warning,
            format!(
                "closing this leaves something uncovered: the margin held rises by {}",
                money.requirement_change.grouped()
            ),
        );
    }
    out
}

/// Why a sold option may be assigned early, if it may (domain: a call before an ex-date whose
/// dividend is more than its time value; a put whose time value is less than the interest on its
/// strike).
fn early_assignment(c: &Contract, m: &LegMarket, market: &MarketView<'_>) -> Option<String> {
    if market.underlying.style != quant::Style::American {
        return None;
    }
    let intrinsic = if c.kind == Kind::Call {
        market.spot - c.strike
    } else {
        c.strike - market.spot
    };
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
            Some(format!(
                "the sold {} may be assigned before {}: its time value {time_value} is less than \
                 the dividend {cash}",
                c.label(),
                short_date(ex.date())
            ))
        }
        Kind::Put => {
            let carried = c.strike.to_f64() * -libm::expm1(-m.rate * market.at.years_until(expiry));
            (time_value.to_f64() < carried).then(|| {
                format!(
                    "the sold {} may be assigned early: its time value {time_value} \
                                  is less than the interest on its strike",
                    c.label()
                )
            })
        }
    }
}
