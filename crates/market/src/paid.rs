//! Shares that pay dividends in cash, priced fast: without the present value of what they pay, and
//! calls as the better of holding them and exercising just before an ex-date (F. Black, "Fact and
//! fantasy in the use of options", *Financial Analysts Journal* 31 (1975)).

use desk::{Carry, Kind, Moment};
use quant::{Style, Terms, Valuation, europeans};

/// Shares that pay cash are priced without the present value of what they pay until a moment: the
/// forward is the same, and a move of the price leaves the dividends as they are.
pub(crate) fn without_dividends(
    carry: &Carry,
    rows: &[(Terms, f64)],
    (at, until): (Moment, Moment),
) -> Vec<(Terms, f64)> {
    let schedule = |row: &(Terms, f64)| {
        let (t, spot) = *row;
        let paid = carry.present_value(at, until, t.rate);
        // What pays more than half its price is priced by the yield, as it always was.
        if paid == 0.0 || paid > 0.5 * spot {
            return (t, spot);
        }
        let carry_yield = 0.0;
        (Terms { carry_yield, ..t }, spot - paid)
    };
    rows.iter().map(schedule).collect()
}

/// Lets American calls on shares be worth what they are if exercised just before an ex-date, where
/// that is more than holding them.
pub(crate) fn before_dividends(
    carry: &Carry,
    rows: &[(Terms, f64)],
    (at, expiry): (Moment, Moment),
    values: &mut [Valuation],
) {
    for (ex, _) in carry.dividends(at, expiry) {
        let eve = ex.plus_millis(-1);
        let calls: Vec<usize> = (0..rows.len())
            .filter(|i| rows[*i].0.kind == Kind::Call)
            .collect();
        let sooner = |i: &usize| {
            let (t, spot) = rows[*i];
            let time = at.years_until(eve);
            let style = Style::European;
            let carry_yield = carry.yield_until(at, eve, t.rate, spot);
            (
                Terms {
                    style,
                    time,
                    carry_yield,
                    ..t
                },
                spot,
            )
        };
        let sooner: Vec<(Terms, f64)> = calls.iter().map(sooner).collect();
        let exercised = europeans(&without_dividends(carry, &sooner, (at, eve)));
        for (i, exercised) in calls.into_iter().zip(exercised) {
            if exercised.price > values[i].price {
                values[i] = exercised;
            }
        }
    }
}
