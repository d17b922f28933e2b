//! Campaigns as the trader arranges them: named, tagged, taken apart and joined.

use std::sync::Arc;

use desk::{Cause, Fact, Instrument, Label};

use crate::campaigns::open;
use crate::engine::Engine;
use crate::refusal::Refusal;

impl Engine {
    /// Says something of a campaign: a name, a note, tags.
    ///
    /// # Errors
    /// There is no such campaign.
    pub fn describe(&mut self, campaign: u64, label: Label) -> Result<(), Refusal> {
        let mut next = self.state.clone();
        let id = Arc::make_mut(&mut next.account)
            .describe(campaign, label.clone())
            .ok_or(Refusal::NoCampaign(campaign))?
            .id;
        self.commit(next, vec![Fact::Described(id, label)])
    }

    /// Moves lots of a campaign to another, or to a new one where none is named; the number of
    /// that.
    ///
    /// # Errors
    /// A campaign that is not there or of another underlying, or lots that it does not hold.
    pub fn move_lots(
        &mut self,
        from: u64,
        to: Option<u64>,
        parts: &[(Instrument, i64)],
    ) -> Result<u64, Refusal> {
        let found = open(&self.state, from)?;
        let (from, symbol) = (found.id, found.symbol.clone());
        if let Some(to) = to {
            let other = self.state.account.campaign(to);
            let other = other.ok_or(Refusal::NoCampaign(to))?;
            if other.symbol != symbol || other.id == from {
                return Err(Refusal::Field {
                    field: "to",
                    message: format!(
                        "campaign {to} is not another one in {symbol}; choose one, or leave it out \
                         for a new one"
                    ),
                });
            }
        }
        let new = self.state.next_number();
        let to = to.map_or(new, |to| self.state.account.home(to));
        let words: Vec<String> = parts
            .iter()
            .map(|(i, n)| format!("{n} × {}", i.label()))
            .collect();
        let memo = format!(
            "{symbol} {} moved from campaign {from} to {to} at cost",
            words.join(", ")
        );
        let mut next = self.state.clone();
        let now = next.clock.now;
        let entry = Arc::make_mut(&mut next.account)
            .transfer(now, (from, to), parts, memo)
            .cloned();
        let entry = entry.ok_or_else(|| Refusal::Field {
            field: "legs",
            message: format!(
                "campaign {from} does not hold that; name each leg once, signed as it is held"
            ),
        })?;
        let cause = Cause::Moved {
            from,
            to,
            parts: parts.to_vec(),
        };
        let mut facts = vec![Fact::Booked(entry, Some(cause))];
        let mut orders = next.floor();
        self.close_no_more_than_held(&mut next, &mut orders, &mut facts);
        self.commit(next, facts)?;
        Ok(to)
    }

    /// Makes a campaign part of another.
    ///
    /// # Errors
    /// A campaign that is not there, or of another underlying.
    pub fn merge(&mut self, from: u64, into: u64) -> Result<(), Refusal> {
        let home = |id: u64| {
            let found = self.state.account.campaign(id);
            found.map(|c| c.id).ok_or(Refusal::NoCampaign(id))
        };
        let (from, into) = (home(from)?, home(into)?);
        let mut next = self.state.clone();
        let (now, memo) = (
            next.clock.now,
            format!("campaign {from} became part of campaign {into}"),
        );
        let entry = Arc::make_mut(&mut next.account)
            .merge(now, from, into, memo)
            .cloned();
        let entry = entry.ok_or_else(|| Refusal::Field {
            field: "into",
            message: format!("campaigns {from} and {into} are not two in one underlying"),
        })?;
        let mut facts = vec![Fact::Booked(entry, Some(Cause::Merged { from, into }))];
        let mut orders = next.floor();
        self.close_no_more_than_held(&mut next, &mut orders, &mut facts);
        self.commit(next, facts)
    }
}
