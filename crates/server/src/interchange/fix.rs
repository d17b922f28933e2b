//! Orders as FIX 4.4 text, for inspection (FIX Trading Community, *FIX 4.4*, volumes 3 and 6: New
//! Order Single, New Order Multileg).
//!
//! A package is bought (54 = 1) with a signed net price, as it is here; an order of one leg is
//! bought or sold at its price. Trailing stops are pegged (40 = P, 211). Orders that wait for or
//! cancel others are sent as single ones: the standard has lists for them, which are not written.

use desk::{
    Instrument, Kind, Leg, Level, Moment, Order, Pricing, Settlement, Style, TimeInForce,
    Underlying, UnderlyingKind,
};

/// Between the fields of a message (ASCII "start of header").
pub(crate) const BETWEEN: char = '\u{1}';

/// A message of its fields: begin string, body length in bytes, body, and the sum of all bytes
/// modulo 256.
fn message(body: &[(u32, String)]) -> String {
    // What a client wrote must not end a field, nor look as if it did where fields are shown.
    let plain = |value: &str| value.replace(|c: char| c.is_control() || c == '|', "?");
    let body: String = body
        .iter()
        .map(|(tag, value)| format!("{tag}={}{BETWEEN}", plain(value)))
        .collect();
    let text = format!("8=FIX.4.4{BETWEEN}9={}{BETWEEN}{body}", body.len());
    let sum = text.bytes().map(u32::from).sum::<u32>() % 256;
    format!("{text}10={sum:03}{BETWEEN}")
}

/// UTC time of a moment, to the millisecond.
fn utc(at: Moment) -> String {
    let stamp: Option<jiff::Timestamp> = at.to_string().parse().ok();
    stamp.map_or_else(String::new, |t| {
        t.strftime("%Y%m%d-%H:%M:%S%.3f").to_string()
    })
}

fn date(d: jiff::civil::Date) -> String {
    d.strftime("%Y%m%d").to_string()
}

/// Classification of an option (ISO 10962): right, style, what it is on, how it settles, standard
/// terms.
fn cfi(kind: Kind, u: &Underlying) -> String {
    let right = if kind == Kind::Call { 'C' } else { 'P' };
    let style = if u.style == Style::American { 'A' } else { 'E' };
    let on = match u.kind {
        UnderlyingKind::Shares => 'S',
        UnderlyingKind::Index => 'I',
        UnderlyingKind::Future => 'F',
    };
    let settles = if u.settlement == Settlement::Cash {
        'C'
    } else {
        'P'
    };
    format!("O{right}{style}{on}{settles}S")
}

/// Type of the underlying itself.
fn own_type(u: &Underlying) -> &'static str {
    if u.settles_daily() { "FUT" } else { "CS" }
}

fn leg_fields(leg: &Leg, u: &Underlying, effect: &str) -> Vec<(u32, String)> {
    let mut out = vec![(600, u.symbol.clone())];
    match &leg.instrument {
        Instrument::Option(c) => out.extend([
            (608, cfi(c.kind, u)),
            (609, "OPT".into()),
            (610, date(c.expiry)[..6].to_owned()),
            (611, date(c.expiry)),
            (612, desk::strike_label(c.strike)),
            (614, u.multiplier.to_string()),
        ]),
        Instrument::Underlying(_) => out.push((609, own_type(u).into())),
    }
    let side = if leg.quantity > 0 { "1" } else { "2" };
    out.extend([
        (623, leg.quantity.abs().to_string()),
        (624, side.into()),
        (564, effect.into()),
    ]);
    out
}

/// An order as it would be sent.
pub(crate) fn order_text(order: &Order, u: &Underlying) -> String {
    let request = &order.request;
    let effect = if request.purpose.campaign().is_some() {
        "C"
    } else {
        "O"
    };
    let legs = request.unit.legs();
    let alone = legs.len() == 1;
    let kind = if alone { "D" } else { "AB" };
    let mut body: Vec<(u32, String)> = vec![
        (35, kind.into()),
        (49, "PIKEBELL".into()),
        (56, "EXCHANGE".into()),
        (34, order.id.to_string()),
        (52, utc(order.placed)),
        (11, request.client_id.clone()),
    ];
    let sold = alone && legs[0].quantity < 0;
    body.push((54, if sold { "2" } else { "1" }.into()));
    body.push((55, u.symbol.clone()));
    if alone {
        match &legs[0].instrument {
            Instrument::Option(c) => body.extend([
                (167, "OPT".into()),
                (200, date(c.expiry)[..6].to_owned()),
                (541, date(c.expiry)),
                (201, if c.kind == Kind::Call { "1" } else { "0" }.into()),
                (202, desk::strike_label(c.strike)),
                (231, u.multiplier.to_string()),
            ]),
            Instrument::Underlying(_) => body.push((167, own_type(u).into())),
        }
        body.push((77, effect.into()));
    } else {
        body.extend([(167, "MLEG".into()), (555, legs.len().to_string())]);
        body.extend(legs.iter().flat_map(|l| leg_fields(l, u, effect)));
    }
    body.extend([(60, utc(order.placed)), (38, order.asked().to_string())]);
    // Of one leg that is sold the price is what is received; of a package it keeps its sign.
    let price = |p: desk::Price| {
        if sold {
            p.abs().to_string()
        } else {
            p.to_string()
        }
    };
    let limit = match order.pricing() {
        Pricing::Limit(p) => Some(price(p)),
        Pricing::Market => None,
    };
    let (order_type, stop) = match (request.trigger.map(|t| t.level), &limit) {
        (Some(Level::At(p)), None) => ("3", Some((99, price(p)))),
        (Some(Level::At(p)), Some(_)) => ("4", Some((99, price(p)))),
        (Some(Level::Trailing(by)), _) => ("P", Some((211, by.to_string()))),
        (None, None) => ("1", None),
        (None, Some(_)) => ("2", None),
    };
    body.push((40, order_type.into()));
    body.extend(limit.map(|p| (44, p)));
    body.extend(stop);
    match request.time_in_force {
        TimeInForce::Day => body.push((59, "0".into())),
        TimeInForce::GoodTillCancelled => body.push((59, "1".into())),
        TimeInForce::ImmediateOrCancel => body.push((59, "3".into())),
        TimeInForce::FillOrKill => body.push((59, "4".into())),
        TimeInForce::GoodTillDate(last) => body.extend([(59, "6".into()), (432, date(last))]),
    }
    message(&body)
}

#[cfg(test)]
mod tests {
    use super::*;

    /// A bull put 95/90 for 0.90, framed by an independent script: body of 308 bytes, sum 114.
    #[test]
    fn a_message_is_framed_as_the_standard_says() {
        let head = "35=AB|49=SENDER|56=TARGET|34=1|52=20240603-14:30:00.000|\
            11=ORD1|54=1|55=XYZ|167=MLEG|555=2";
        let leg = |strike: &str, side: &str| {
            format!(
                "600=XYZ|608=OPASPS|609=OPT|610=202406|611=20240621|\
                 612={strike}|614=100|623=1|624={side}|564=O"
            )
        };
        let all = format!(
            "{head}|{}|{}|60=20240603-14:30:00.000|38=5|40=2|44=-0.90|59=0",
            leg("95", "2"),
            leg("90", "1")
        );
        let body: Vec<(u32, String)> = all
            .split('|')
            .filter_map(|f| f.split_once('='))
            .map(|(t, v)| (t.parse().unwrap_or(0), v.to_owned()))
            .collect();
        let text = message(&body).replace(BETWEEN, "|");
        assert!(
            text.starts_with("8=FIX.4.4|9=308|35=AB|")
                && text.ends_with("|59=0|10=114|")
                && text.len() == 331,
            "{text}"
        );
    }
}
