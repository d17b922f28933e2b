//! The sentences that say in plain words what a structure does to money.

use jiff::civil::Date;

use crate::account::CampaignTotals;
use crate::book::Zone;
use crate::contract::strike_label;
use crate::holding::Holding;
use crate::horizon::Horizon;
use crate::naming::Name;
use crate::number::{Money, Price};
use crate::price_style::PriceStyle;
use crate::proposal::MarketView;
use crate::shape::{Even, Extent};
use crate::time::short_date;

/// Name, term and money now; most to make; most to lose; break-evens: two to four sentences, the
/// first alone when it closes.
pub(crate) fn sentences(
    name: &Name,
    structure: &Holding,
    market: &MarketView<'_>,
    horizon: &Horizon,
    cash: Money,
    closing: bool,
) -> Vec<String> {
    let mut out = Vec::new();
    let count = structure.packages();
    let times = if count == 1 {
        String::new()
    } else {
        format!("{count} × ")
    };
    let what = if name.text == "custom" {
        "custom structure"
    } else {
        &name.text
    };
    let symbol = &market.underlying.symbol;
    let now = match cash.cmp(&Money::ZERO) {
        std::cmp::Ordering::Greater => format!("you receive {} now", cash.grouped()),
        std::cmp::Ordering::Less => format!("you pay {} now", (-cash).grouped()),
        std::cmp::Ordering::Equal => "no money changes hands now".into(),
    };
    if structure.options().next().is_some() {
        out.push(format!(
            "{times}{} on {symbol}, {}: {now}.",
            capital(what),
            days(horizon.days)
        ));
    } else {
        let side = if structure.underlying_quantity() > 0 {
            "Buy"
        } else {
            "Sell"
        };
        let units = market.underlying.kind.counted(count);
        out.push(format!("{side} {units} of {symbol}: {now}."));
    }
    if closing {
        return out;
    }
    // An estimate is told in whole units: more digits would claim too much.
    let told = |amount: Money| {
        if horizon.estimate {
            format!("about {}", amount.whole_grouped())
        } else {
            amount.grouped()
        }
    };
    out.push(match &horizon.shape.most {
        Extent::Unlimited => "What you can make has no limit as the price rises.".into(),
        Extent::Limited { profit, .. } if *profit <= Money::ZERO => {
            "It cannot make money at this price.".into()
        }
        Extent::Limited { profit, places } => {
            format!("Most you can make: {}, {}.", told(*profit), any_of(places))
        }
    });
    out.push(match &horizon.shape.least {
        Extent::Unlimited => "What you can lose has no limit as the price rises.".into(),
        Extent::Limited { profit, .. } if *profit >= Money::ZERO => {
            "It cannot lose money at this price.".into()
        }
        Extent::Limited { profit, places } => {
            format!("Most you can lose: {}, {}.", told(-*profit), any_of(places))
        }
    });
    if let Some(text) = evens(&horizon.shape.evens, market.underlying.style_of_price) {
        out.push(format!("Break-even {text}."));
    }
    out
}

fn capital(text: &str) -> String {
    let mut letters = text.chars();
    letters
        .next()
        .map(|c| c.to_uppercase().chain(letters).collect())
        .unwrap_or_default()
}

fn days(n: i64) -> String {
    match n {
        0 => "expires today".into(),
        1 => "1 day".into(),
        n => format!("{n} days"),
    }
}

fn place(from: Price, to: Option<Price>) -> String {
    let zero = from.raw() == 0;
    match to {
        None if zero => "at every price".into(),
        None => format!("at {} and above", strike_label(from)),
        Some(to) if zero && to.raw() == 0 => "at zero".into(),
        Some(to) if zero => format!("at {} and below", strike_label(to)),
        Some(to) if to == from => format!("at {}", strike_label(from)),
        Some(to) => format!("between {} and {}", strike_label(from), strike_label(to)),
    }
}

fn any_of(places: &[(Price, Option<Price>)]) -> String {
    places
        .iter()
        .map(|(from, to)| place(*from, *to))
        .collect::<Vec<_>>()
        .join(" or ")
}

fn evens(evens: &[Even], style: PriceStyle) -> Option<String> {
    let parts: Vec<String> = evens
        .iter()
        .map(|e| match e {
            Even::Point(p) => format!("at {}", style.nearest(*p)),
            Even::Range(from, to) => place(*from, *to),
        })
        .collect();
    (!parts.is_empty()).then(|| parts.join(" and "))
}

/// What a campaign is told by.
#[derive(Debug, Clone)]
pub struct CampaignFigures<'a> {
    /// "iron condor 205/200 · 175/165", or the name it was given.
    pub title: &'a str,
    /// The symbol of the underlying that it is on.
    pub symbol: &'a str,
    /// When it was opened.
    pub since: Date,
    /// Calendar days from then until now, or until its last chapter where it is closed.
    pub days: i64,
    /// Totals over its life.
    pub totals: CampaignTotals,
    /// Profit on what it holds; absent where it is closed.
    pub open_profit: Option<Money>,
    /// Where the whole campaign ends in profit and where not, from zero on; empty where that is not
    /// known.
    pub zones: &'a [Zone],
    /// How its market writes prices.
    pub style: PriceStyle,
}

/// A campaign in one sentence, or two: what it is, since when, what was received or paid in all,
/// what it made, and where it ends in profit.
pub fn campaign_sentence(f: &CampaignFigures<'_>) -> String {
    let (cash, fees) = (f.totals.net_cash, f.totals.fees);
    let flow = if cash < Money::ZERO {
        "paid"
    } else {
        "received"
    };
    // Nothing has no sign.
    let signed = |amount: Money| match amount {
        Money::ZERO => Money::ZERO.grouped(),
        amount => signed(amount),
    };
    let days = match f.days {
        0 => "today".to_owned(),
        1 => "1 day".into(),
        n => format!("{n} days"),
    };
    let all = f.totals.booked() + f.open_profit.unwrap_or_default();
    let made = match f.open_profit {
        Some(open) => format!(
            "realised {}, open {}, fees {}: {} in all",
            signed(f.totals.realised),
            signed(open),
            fees.grouped(),
            signed(all)
        ),
        None => format!(
            "closed; realised {}, fees {}: {} in all",
            signed(f.totals.realised),
            fees.grouped(),
            signed(all)
        ),
    };
    let head = format!(
        "{} on {} since {} {}, {days}: {} {flow} in all, {made}.",
        capital(f.title),
        f.symbol,
        short_date(f.since),
        f.since.year(),
        cash.abs().grouped(),
    );
    let Some(end) = ending(f.zones, f.style) else {
        return head;
    };
    format!("{head} {end}")
}

/// Between which prices it ends in profit; nothing where no zone is known.
fn ending(zones: &[Zone], style: PriceStyle) -> Option<String> {
    if zones.is_empty() {
        return None;
    }
    let written = |p: f64| Price::from_f64(p).map_or_else(String::new, |p| style.nearest(p));
    let gains: Vec<String> = zones
        .iter()
        .filter(|z| z.gain)
        .map(|z| match (z.from == 0.0, z.to.is_infinite()) {
            (true, true) => "at every price".into(),
            (true, false) => format!("below {}", written(z.to)),
            (false, true) => format!("above {}", written(z.from)),
            (false, false) => format!("between {} and {}", written(z.from), written(z.to)),
        })
        .collect();
    Some(if gains.is_empty() {
        "As it stands it ends in profit nowhere.".into()
    } else {
        format!("As it stands it ends in profit {}.", gains.join(" and "))
    })
}

/// The tails in words: what happens above the highest strike and from the lowest down to zero.
pub fn tails(horizon: &Horizon) -> (String, String) {
    let kinks = &horizon.shape.kinks;
    let last = kinks[kinks.len() - 1];
    let above = match last.slope {
        0.0 => format!(
            "above {}: {}, flat",
            strike_label(last.price),
            signed(last.profit)
        ),
        s if s > 0.0 => format!(
            "above {}: gains {} per point, no limit",
            strike_label(last.price),
            per_point(s)
        ),
        s => format!(
            "above {}: loses {} per point, no limit",
            strike_label(last.price),
            per_point(-s)
        ),
    };
    let first = kinks[0];
    let below = match first.slope {
        0.0 => format!("down to zero: {}, flat", signed(first.profit)),
        s if s < 0.0 => format!(
            "down to zero: gains {} per point, {} at zero",
            per_point(-s),
            signed(first.profit)
        ),
        s => format!(
            "down to zero: loses {} per point, {} at zero",
            per_point(s),
            signed(first.profit)
        ),
    };
    if horizon.estimate {
        let about =
            |amount: Money| format!("about {}{}", sign(amount), amount.abs().whole_grouped());
        let far = if let Some(limit) = horizon.outline.limit_at_infinity {
            about(Money::from_model(limit))
        } else {
            above
        };
        return (
            format!("far above: {far}"),
            format!("at zero: {}", about(first.profit)),
        );
    }
    (above, below)
}

/// "100", "98.5": what one point is worth.
fn per_point(slope: f64) -> String {
    let text = format!("{slope:.1}");
    text.strip_suffix(".0").unwrap_or(&text).to_owned()
}

fn sign(amount: Money) -> &'static str {
    if amount < Money::ZERO { "−" } else { "+" }
}

fn signed(amount: Money) -> String {
    format!("{}{}", sign(amount), amount.abs().grouped())
}
