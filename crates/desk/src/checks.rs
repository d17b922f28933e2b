//! Things worth a look before money moves, each with its reason and its number.

use crate::calendar::{is_open, next_open};
use crate::evaluate::{MarketView, MoneyEffect, Proposal};
use crate::horizon::Horizon;
use crate::naming::{Name, Nature};
use crate::number::Money;
use crate::package::PackageQuote;
use crate::shape::Extent;
use crate::time::short_date;

/// How much a check matters.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Verdict {
    /// Looked at and in order.
    Fine,
    /// Worth knowing.
    Note,
    /// Likely to cost money or to be refused.
    Warning,
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

pub(crate) fn checks(
    proposal: &Proposal,
    market: &MarketView<'_>,
    quote: &PackageQuote,
    name: &Name,
    horizon: &Horizon,
    money: &MoneyEffect,
) -> Vec<Check> {
    let mut out = Vec::new();
    let mut say = |verdict, text: String| out.push(Check { verdict, text });
    if !is_open(market.at) {
        let open = next_open(market.at);
        say(Verdict::Note, format!("the exchange is closed; an order waits for the opening on {}", short_date(open.date())));
    }
    let width = quote.cross - quote.rest;
    let middle = quote.middle.abs();
    match (width.raw() * 100).checked_div(middle.raw()) {
        Some(percent) if percent <= WIDE_PERCENT => say(Verdict::Fine, format!("market {width} wide, {percent} % of the middle")),
        Some(percent) => say(Verdict::Note, format!("wide market: {width}, {percent} % of the middle")),
        None => say(Verdict::Note, format!("the middle is zero and the market {width} wide")),
    }
    let options = proposal.structure.legs().iter().zip(&market.legs).filter(|(l, _)| l.instrument.option().is_some());
    let thinnest = options.min_by_key(|(_, m)| m.quote.open_interest);
    if let Some((leg, m)) = thinnest {
        let open = m.quote.open_interest;
        if open < THIN {
            say(Verdict::Note, format!("thin: {open} contracts open in the {}", leg.instrument.label()));
        } else {
            say(Verdict::Fine, format!("at least {open} contracts open in each leg"));
        }
    }
    for (leg, m) in proposal.structure.legs().iter().zip(&market.legs) {
        if leg.quantity < 0 && m.quote.bid.raw() == 0 {
            say(Verdict::Warning, format!("nobody bids for the {}", leg.instrument.label()));
        }
    }
    let last = proposal.structure.options().map(|(c, _)| c.expiry).max().unwrap_or(horizon.date);
    for event in market.events.iter().filter(|e| e.date >= market.at.date() && e.date <= last) {
        say(Verdict::Note, format!("{} on {}, inside the life of this", event.what, short_date(event.date)));
    }
    if !proposal.closing {
        if horizon.shape.least == Extent::Unlimited {
            say(Verdict::Warning, "the loss has no limit as the price rises".into());
        }
        match name.nature {
            Nature::Credit if money.cash < Money::ZERO => {
                say(Verdict::Warning, format!("a {} normally brings money in; this one costs {}", name.text, (-money.cash).grouped()))
            }
            Nature::Debit if money.cash > Money::ZERO => {
                say(Verdict::Warning, format!("a {} normally costs money; this one pays {}", name.text, money.cash.grouped()))
            }
            _ => {}
        }
    }
    if money.buying_power_after < Money::ZERO && money.takes() > Money::ZERO {
        say(Verdict::Warning, format!("needs {} of buying power; {} is available", money.takes().grouped(), money.buying_power_now.grouped()));
    }
    out
}
