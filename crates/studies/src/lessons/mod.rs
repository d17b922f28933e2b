//! What my own closed trades say: the facts of each, divisions of all, and what my rules would have made
//! of them.

mod facts;
mod roads;

use desk::{Campaign, Chapter, SaidOf};

pub use facts::{Division, Learnt, LearntPart, divided, learnt};
pub use roads::{CampaignRoads, Road, RoadSummary, RoadTaken, roads};

use engine::state::State;

/// Why a chapter was done: what was noted of it, or what was said at the ticket.
pub fn why_of(state: &State, chapter: &Chapter) -> String {
    let noted = state.entry_notes.get(&chapter.entry);
    let said = || state.said.get(&SaidOf::Order(chapter.order?));
    noted
        .cloned()
        .or_else(|| said().map(|s| s.words.clone()))
        .unwrap_or_default()
}

/// Tags of a campaign: its own, and those given at its tickets and at its end.
pub fn tags_of(state: &State, campaign: &Campaign) -> Vec<String> {
    let mut out = campaign.label.tags.clone();
    let orders = campaign.chapters.iter().filter_map(|c| c.order);
    let said = orders
        .map(SaidOf::Order)
        .chain([SaidOf::After(campaign.id)])
        .filter_map(|of| state.said.get(&of));
    for tag in said.flat_map(|s| &s.tags) {
        if !out.contains(tag) {
            out.push(tag.clone());
        }
    }
    out
}

/// Campaigns of orders of which nothing is open any more, in the order they ended.
pub fn closed(state: &State) -> Vec<&Campaign> {
    let over = |c: &&Campaign| {
        c.chapters.first().is_some_and(|ch| ch.order.is_some())
            && state.account.lots_of(c.id).next().is_none()
    };
    let mut all: Vec<&Campaign> = state.account.campaigns().filter(over).collect();
    all.sort_by_key(|c| (c.chapters.last().map(|ch| ch.at), c.id));
    all
}
