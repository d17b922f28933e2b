//! Legs of a draft as a table: `contract` (OSI symbol, or the underlying's own), `quantity` (bought
//! above zero), `price` (may be empty).

use desk::Instrument;

use super::table::{Table, read};

/// Writes legs as rows of contract, quantity and price.
pub fn legs_csv(legs: impl Iterator<Item = (String, i64, Option<String>)>) -> String {
    let mut out = csv::WriterBuilder::new()
        .terminator(csv::Terminator::CRLF)
        .from_writer(Vec::new());
    let rows = std::iter::once(["contract".to_owned(), "quantity".into(), "price".into()]).chain(
        legs.map(|(contract, quantity, price)| {
            [contract, quantity.to_string(), price.unwrap_or_default()]
        }),
    );
    for row in rows {
        // Writing to memory does not fail.
        let _ = out.write_record(row);
    }
    String::from_utf8(out.into_inner().unwrap_or_default()).unwrap_or_default()
}

/// Reads legs; all bad lines are told together, and nothing is taken of a table that has one.
///
/// # Errors
/// The lines that are wrong, with what would be right.
pub fn read_legs_csv(text: &str) -> Result<Vec<(Instrument, i64, Option<String>)>, String> {
    let table = Table::open(text.as_bytes(), &["contract", "quantity"])?;
    let mut legs = Vec::new();
    let bad = table.rows(|row| {
        let price = Some(row.text("price").trim().to_owned()).filter(|p| !p.is_empty());
        legs.push((
            row.read("contract")?,
            read("quantity", row.text("quantity").trim())?,
            price,
        ));
        Ok(())
    });
    match bad.as_slice() {
        [] if legs.is_empty() => Err(
            "there are no legs in it; write contract,quantity,price and one line for each leg"
                .into(),
        ),
        [] => Ok(legs),
        bad => Err(bad
            .iter()
            .map(ToString::to_string)
            .collect::<Vec<_>>()
            .join("; ")),
    }
}
