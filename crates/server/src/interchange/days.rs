//! The daily record as CSV (RFC 4180): one row a close.

use desk::{Day, Money, drawdowns};
use engine::state::State;

use crate::interchange::statement::csv_of;

/// Columns. Money in the account's currency, exact; Greeks in money, the delta and gamma in shares
/// of the index; empty where a row of form 1 does not know.
pub const DAY_COLUMNS: [&str; 41] = [
    "date",
    "version",
    "value",
    "deposits",
    "profit",
    "delta_part",
    "gamma_part",
    "theta_part",
    "vega_part",
    "trades",
    "fees",
    "other",
    "drawdown",
    "cash",
    "buying_power",
    "margin",
    "lean",
    "lean_per_percent",
    "index_gamma",
    "theta_day",
    "vega_point",
    "rho_point",
    "at_minus_5",
    "at_minus_1",
    "at_0",
    "at_plus_1",
    "at_plus_5",
    "risk_up",
    "risk_down",
    "risk_still",
    "largest_trade",
    "largest_trade_amount",
    "largest_symbol",
    "largest_symbol_amount",
    "largest_sector",
    "largest_sector_amount",
    "largest_expiration",
    "largest_expiration_amount",
    "missing",
    "rate_part",
    "dividends_part",
];

fn row(day: &Day, drawdown: Option<Money>) -> Vec<String> {
    let mut out = vec![
        day.date.clone(),
        day.version.to_string(),
        day.value.to_string(),
    ];
    let Some(f) = &day.figures else {
        out.resize(DAY_COLUMNS.len(), String::new());
        return out;
    };
    let p = f.parts;
    out.extend([f.deposits, p.total].map(|m| m.to_string()));
    out.extend([p.delta, p.gamma, p.theta, p.vega, p.trades].map(|v| v.to_string()));
    out.extend([p.fees.to_string(), p.other.to_string()]);
    out.push(drawdown.unwrap_or_default().to_string());
    out.extend([f.cash, f.buying_power, f.margin].map(|m| m.to_string()));
    let g = f.greeks;
    out.extend([g.lean, g.lean_money, g.gamma, g.theta, g.vega, g.rho].map(|v| v.to_string()));
    out.extend(f.at_moves.map(|m| m.to_string()));
    out.extend([f.at_risk.up, f.at_risk.down, f.at_risk.still].map(|m| m.to_string()));
    let l = &f.largest;
    for of in [&l.trade, &l.symbol, &l.sector, &l.expiration] {
        let (name, amount) = match of {
            Some((name, amount)) => (name.clone(), amount.to_string()),
            None => (String::new(), String::new()),
        };
        out.extend([name, amount]);
    }
    out.push(f.missing.join("; "));
    out.extend([p.rate, p.dividends].map(|v| v.to_string()));
    out
}

/// Every close, oldest first, with what was noted of it at the end.
pub fn days_csv(state: &State) -> String {
    let header: Vec<&str> = DAY_COLUMNS.iter().copied().chain(["note"]).collect();
    let each = state.days.iter().zip(drawdowns(&state.days));
    let rows = each.map(|(day, down)| {
        let mut row = row(day, down);
        row.push(state.day_notes.get(&day.date).cloned().unwrap_or_default());
        row
    });
    csv_of(&header, rows)
}
