//! Which expirations of an underlying an export is asked for.

use desk::Expiration;
use jiff::civil::Date;
use market::UnderlyingAt;

use super::{Listed, date};

/// The expirations that were asked for; each date and the root must be listed.
pub(in crate::cli) fn chosen(
    seen: &UnderlyingAt<'_>,
    listed: &Listed,
) -> Result<Vec<Expiration>, String> {
    let root = |e: &Expiration| seen.underlying.root_for(e).to_owned();
    let mut all = seen.expirations();
    let told = |all: &[Expiration], of: &dyn Fn(&Expiration) -> String| {
        let mut words: Vec<String> = all.iter().map(of).collect();
        words.dedup();
        words.join(", ")
    };
    if let Some(wanted) = &listed.root {
        if !all.iter().any(|e| root(e) == *wanted) {
            return Err(format!(
                "--root {wanted:?} lists nothing of {} at {}; listed: {}",
                seen.symbol(),
                seen.at,
                told(&all, &root)
            ));
        }
        all.retain(|e| root(e) == *wanted);
    }
    let dates = listed.expiry.iter().map(|text| date("expiry", text));
    let dates = dates.collect::<Result<Vec<Date>, String>>()?;
    if let Some(missing) = dates.iter().find(|d| !all.iter().any(|e| e.date == **d)) {
        return Err(format!(
            "--expiry {missing} is not listed of {} at {}; listed: {}",
            seen.symbol(),
            seen.at,
            told(&all, &|e| e.date.to_string())
        ));
    }
    all.retain(|e| dates.is_empty() || dates.contains(&e.date));
    Ok(all)
}
