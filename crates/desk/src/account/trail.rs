//! The trail of a campaign: each instrument for as long as so many of it were held.

use crate::account::Campaign;
use crate::instrument::Instrument;
use crate::time::Moment;

/// So many of an instrument, held without a change.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Stretch {
    /// What was held.
    pub instrument: Instrument,
    /// Signed contracts, shares or futures; never zero.
    pub quantity: i64,
    /// The moment from which the legs were held in this shape.
    pub from: Moment,
    /// Until when; absent while it is held.
    pub to: Option<Moment>,
}

/// Every stretch of a campaign, by its beginning. Those without an end are what it holds now.
pub fn trail(campaign: &Campaign) -> Vec<Stretch> {
    let mut done: Vec<Stretch> = Vec::new();
    let mut open: Vec<Stretch> = Vec::new();
    for chapter in &campaign.chapters {
        for (instrument, change) in chapter.legs.iter().filter(|(_, change)| *change != 0) {
            let at = open.iter().position(|s| s.instrument == *instrument);
            let before = at.map(|i| open.swap_remove(i));
            let held = before.as_ref().map_or(0, |s| s.quantity) + change;
            // What was opened and changed at one moment was never held otherwise.
            done.extend(before.filter(|s| s.from < chapter.at).map(|s| Stretch {
                to: Some(chapter.at),
                ..s
            }));
            if held != 0 {
                open.push(Stretch {
                    instrument: instrument.clone(),
                    quantity: held,
                    from: chapter.at,
                    to: None,
                });
            }
        }
    }
    done.append(&mut open);
    done.sort_by(|a, b| {
        (a.from, a.to.is_none(), &a.instrument).cmp(&(b.from, b.to.is_none(), &b.instrument))
    });
    done
}
