//! Recorded days as a feed.

use std::collections::BTreeMap;
use std::time::Duration;

use desk::Moment;
use jiff::civil::Date;

use super::opened::Opened;
use super::rows::{self, BARS, CHAIN_WRITTEN};

/// Takes the rows of a moment, and what has passed since the one before; nothing where a night lies between.
pub type Give<'a> = dyn FnMut(Option<Duration>, &[u8]) -> std::io::Result<()> + 'a;

/// Writes rows as CSV.
fn csv_rows(rows: impl Iterator<Item = Vec<String>>, into: &mut Vec<u8>) -> std::io::Result<()> {
    let mut table = csv::WriterBuilder::new()
        .terminator(csv::Terminator::CRLF)
        .from_writer(into);
    for row in rows {
        table.write_record(&row).map_err(std::io::Error::other)?;
    }
    table.flush()
}

fn words<const N: usize>(row: [&str; N]) -> Vec<String> {
    row.map(str::to_owned).to_vec()
}

impl Opened {
    /// Gives the moments of chosen symbols in their order, each as the rows of a feed with what has passed
    /// since the one before: nothing where a night lies between. Bars go before the session after
    /// theirs.
    ///
    /// # Errors
    /// Whatever `give` says.
    pub fn play(
        &self,
        chosen: &dyn Fn(&str) -> bool,
        (from, to): (Option<Date>, Option<Date>),
        give: &mut Give<'_>,
    ) -> std::io::Result<()> {
        let begin = Moment::at(from.unwrap_or(Date::MIN), 0, 0);
        let end = Moment::at(to.unwrap_or(Date::MAX), 24, 0).plus_millis(-1);
        let all = self.recorded.iter().enumerate();
        let all: Vec<_> = all.filter(|(_, r)| chosen(&r.underlying.symbol)).collect();
        let mut moments: BTreeMap<Moment, Vec<usize>> = BTreeMap::new();
        for (i, r) in &all {
            for (at, _) in r.tape.between(begin, end) {
                moments.entry(at).or_default().push(*i);
            }
        }
        let mut before: Option<Moment> = None;
        let mut told = Date::MIN;
        for (at, of) in moments {
            let mut bytes = Vec::new();
            if at.date() > told {
                let bars = all.iter().flat_map(|(_, r)| {
                    let bars = r.tape.bars().into_iter();
                    let due = bars.filter(|b| b.date >= told && b.date < at.date());
                    due.map(|b| {
                        let mut row = vec![r.underlying.symbol.clone(), b.date.to_string()];
                        row.extend([b.open, b.high, b.low, b.close].map(|p| p.to_string()));
                        row.push(b.volume.to_string());
                        row
                    })
                });
                let mut columns = words(BARS);
                columns.push("volume".into());
                csv_rows(std::iter::once(columns).chain(bars), &mut bytes)?;
                csv_rows(std::iter::once(words(CHAIN_WRITTEN)), &mut bytes)?;
                told = at.date();
            }
            for i in of {
                let r = &self.recorded[i];
                let Some((written, sight)) = self.written(i, at) else {
                    continue;
                };
                let rows = rows::written(&r.underlying.symbol, &written, &sight);
                csv_rows(rows.map(|r| r.to_vec()), &mut bytes)?;
            }
            bytes.extend_from_slice(b"\r\n");
            let waits = match before {
                Some(b) if b.date() != at.date() => None,
                Some(b) => Some(Duration::from_millis(
                    (at.millis() - b.millis()).unsigned_abs(),
                )),
                None => Some(Duration::ZERO),
            };
            give(waits, &bytes)?;
            before = Some(at);
        }
        Ok(())
    }
}
