//! The whole book in the terms of one index, with what is only being considered: campaigns, working
//! orders and drafts, each switched in or out, under any move of the index.

mod betas;
mod chances;
mod explained;
mod items;
mod margins;
mod mend;
mod seen;
mod worked;

pub use betas::{BetaOf, BetaSource, Betas, past_answer};
pub use chances::{Alone, TailsAhead, ahead};
pub use explained::{CampaignMade, Explained, MOST_SESSIONS, explained};
pub use items::{Chosen, Considered, Item, Source, items};
pub use margins::{After, margins};
pub use mend::{MendAsked, Mended, Remedies, Remedy, mended};
pub use seen::{plainly, seen_with};
pub use worked::{BookMemo, ItemLooked, LookWanted, Worked, stress_moves, worked};

use desk::book::VolAnswer;
use market::World;

/// A name that moves beside the index.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Apart {
    /// The underlying of this symbol.
    Symbol(String),
    /// Every name of a sector.
    Sector(String),
}

/// Through what the book is looked at.
#[derive(Debug, Clone, PartialEq)]
pub struct Lens {
    /// The symbol of the index in whose terms the book is told.
    pub index: String,
    /// How much names move with it.
    pub betas: Betas,
    /// How volatility answers.
    pub vol: VolAnswer,
    /// Moves of names beside the index, as fractions: they add to what the index does to them.
    pub apart: Vec<(Apart, f64)>,
}

impl Lens {
    /// Through which masthead, rules and the daily record look: the broad index, the market's own
    /// betas, nothing apart.
    pub fn plain(world: &World, vol: VolAnswer) -> Lens {
        Lens {
            index: world.index().to_owned(),
            betas: Betas::default(),
            vol,
            apart: Vec::new(),
        }
    }

    /// What a name does beside the index.
    pub fn apart(&self, symbol: &str, sector: Option<&str>) -> f64 {
        let meant = |apart: &Apart| match apart {
            Apart::Symbol(name) => name == symbol,
            Apart::Sector(name) => sector == Some(name.as_str()),
        };
        let found = self.apart.iter().filter(|(apart, _)| meant(apart));
        found.map(|(_, by)| by).sum()
    }
}
