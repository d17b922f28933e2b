//! Closed campaigns as CSV (RFC 4180), and what they say as a page of HTML that stands by itself.

use std::fmt::Write;

use desk::Money;
use engine::state::State;
use studies::lessons::{Division, Learnt, RoadSummary, divided};

use crate::app::runs::ABOUT;
use crate::interchange::statement::csv_of;

const COLUMNS: [&str; 19] = [
    "campaign",
    "symbol",
    "sector",
    "structure",
    "title",
    "tags",
    "opened",
    "closed",
    "days",
    "days_left",
    "rank",
    "profit",
    "fees",
    "capital",
    "best",
    "worst",
    "rule",
    "by_itself",
    "after",
];

/// Every closed campaign, in the order they ended.
pub fn lessons_csv(state: &State, all: &[Learnt]) -> String {
    let rows = all.iter().map(|l| {
        let after = state.said.get(&desk::SaidOf::After(l.campaign));
        vec![
            l.campaign.to_string(),
            l.symbol.clone(),
            l.sector.clone().unwrap_or_default(),
            l.structure.word().to_owned(),
            l.title.clone(),
            l.tags.join("; "),
            l.opened.to_string(),
            l.closed.to_string(),
            l.days().to_string(),
            l.days_left.map_or_else(String::new, |d| d.to_string()),
            l.rank.map_or_else(String::new, |r| r.to_string()),
            l.profit.to_string(),
            l.fees.to_string(),
            l.capital.to_string(),
            l.best.to_string(),
            l.worst.to_string(),
            l.rule
                .as_ref()
                .map_or_else(String::new, |(id, _)| id.to_string()),
            if l.by_itself { "yes" } else { "no" }.to_owned(),
            after.map(|s| s.words.clone()).unwrap_or_default(),
        ]
    });
    csv_of(&COLUMNS, rows)
}

/// Text that means itself in HTML.
fn plain(text: &str) -> String {
    text.replace('&', "&amp;")
        .replace('<', "&lt;")
        .replace('>', "&gt;")
        .replace('"', "&quot;")
}

fn figure(n: Option<f64>) -> String {
    n.map_or_else(String::new, |n| format!("{n:.2}"))
}

/// The running profit as a small picture.
fn curve(all: &[Learnt]) -> String {
    let mut sum = Money::ZERO;
    let points: Vec<f64> = std::iter::once(0.0)
        .chain(all.iter().map(|l| {
            sum += l.profit;
            sum.to_f64()
        }))
        .collect();
    let (low, high) = points
        .iter()
        .fold((0.0_f64, 0.0_f64), |(a, b), p| (a.min(*p), b.max(*p)));
    let span = (high - low).max(1.0);
    let x = |i: usize| 5.0 + 690.0 * i as f64 / (points.len() - 1).max(1) as f64;
    let y = |p: f64| 155.0 - 150.0 * (p - low) / span;
    let path: Vec<String> = points
        .iter()
        .enumerate()
        .map(|(i, p)| format!("{:.1},{:.1}", x(i), y(*p)))
        .collect();
    format!(
        "<svg viewBox=\"0 0 700 160\" role=\"img\" aria-label=\"Profit of closed campaigns, added up\"><line \
         x1=\"5\" x2=\"695\" y1=\"{0:.1}\" y2=\"{0:.1}\" stroke=\"#b9b0a0\"/><polyline points=\"{1}\" \
         fill=\"none\" stroke=\"#1d2125\" stroke-width=\"2\"/></svg>",
        y(0.0),
        path.join(" ")
    )
}

/// What closed campaigns are divided by, as a heading.
pub fn division_words(by: Division) -> &'static str {
    match by {
        Division::Structure => "structure",
        Division::Symbol => "symbol",
        Division::Sector => "sector",
        Division::Tag => "tag",
        Division::Drill => "drill",
        Division::Rule => "rule that rang as it was closed",
        Division::DaysLeft => "days to the expiration at the opening",
        Division::Rank => "volatility rank at the opening",
        Division::Held => "days held",
        Division::Size => "at risk at the opening",
        Division::Weekday => "weekday of the opening",
    }
}

/// What closed campaigns say, as a page without anything from elsewhere.
pub fn lessons_html(state: &State, all: &[Learnt], roads: &[RoadSummary]) -> String {
    let mut out = String::new();
    let of = if state.drafts.contains_key(ABOUT) {
        "a rehearsal with paper money"
    } else {
        "the account"
    };
    // Writing into a string cannot fail.
    let _ = write!(
        out,
        "<!doctype html><html lang=\"en\"><meta charset=\"utf-8\"><title>Lessons</title><style>body{{font:14px \
         sans-serif;max-width:980px;margin:24px auto;color:#1d2125;background:#f6f3ec}}table{{border-collapse:\
         collapse;width:100%;margin:4px 0 20px}}th,td{{text-align:right;padding:3px 8px;border-bottom:1px solid \
         #ddd6c8;font-variant-numeric:tabular-nums}}th:first-child,td:first-child{{text-align:left}}th{{\
         font-weight:normal;color:#575e65}}</style><h1>Lessons</h1><p>{} closed campaigns of {of}, as of {}.</p>{}",
        all.len(),
        state.clock.now,
        curve(all)
    );
    let head = "<tr><th></th><th>number</th><th>winners %</th><th>95 %</th><th>mean win</th><th>mean \
                loss</th><th>expectancy</th><th>a day</th><th>sum</th><th>worst</th><th>losses in a row</th><th>\
                of the best taken</th></tr>";
    let parts = std::iter::once((None, "all together")).chain(
        Division::ALL
            .into_iter()
            .map(|by| (Some(by), division_words(by))),
    );
    for (by, words) in parts {
        let rows = divided(all, by);
        if rows.is_empty() {
            continue;
        }
        let _ = write!(out, "<h2>By {}</h2><table>{head}", plain(words));
        for p in rows {
            let s = &p.summary;
            let share = |x: f64| format!("{:.0}", 100.0 * x);
            let _ = write!(
                out,
                "<tr><td>{}</td><td>{}</td><td>{}</td><td>{}</td><td>{}</td><td>{}</td><td>{}</td><td>{}</td>\
                 <td>{}</td><td>{}</td><td>{}</td><td>{}</td></tr>",
                plain(&p.part),
                s.count,
                if s.count > 0 {
                    share(s.won as f64 / s.count as f64)
                } else {
                    String::new()
                },
                s.share.map_or_else(String::new, |i| format!(
                    "{} to {}",
                    share(i.low),
                    share(i.high)
                )),
                figure(s.mean_win),
                figure(s.mean_loss),
                figure(s.mean),
                figure(s.a_day),
                s.sum,
                s.worst.map_or_else(String::new, |w| w.to_string()),
                s.losses_in_a_row,
                p.taken
                    .map_or_else(String::new, |t| format!("{} %", share(t))),
            );
        }
        out.push_str("</table>");
    }
    out.push_str(
        "<h2>The road not taken</h2><table><tr><th>what would have been done from each opening</th><th>number\
         </th><th>made by hand</th><th>would have made</th><th>better by hand</th><th>by hand above it, mean</th>\
         <th>95 %</th></tr>",
    );
    for r in roads {
        let _ = write!(
            out,
            "<tr><td>{}</td><td>{}</td><td>{}</td><td>{}</td><td>{}</td><td>{}</td><td>{}</td></tr>",
            plain(&r.road.name),
            r.count,
            r.made,
            r.would,
            r.better,
            figure(r.mean),
            r.interval
                .map_or_else(String::new, |i| format!("{:.0} to {:.0}", i.low, i.high)),
        );
    }
    out.push_str("</table></html>\n");
    out
}
