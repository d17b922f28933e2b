//! Finding trades: what a search stands on, the search over one underlying or all, scheduled news and
//! what it moved, and what became of structures.

mod ground;
mod news;
mod outcome;
mod replay;
mod search;

pub use ground::{Ground, GroundError, LawFrom};
pub use news::{
    After, Looks, MovePriced, PastMoves, PastNews, PricedAgainstReal, VolAround, move_priced,
    next_news, past_moves, past_news, priced_against_real,
};
pub use outcome::brought_by;
pub use replay::{Distance, ReplayMade, Replayed, replayed};
pub(crate) use search::one_month_each;
pub use search::{
    Expectation, Expected, FoundRow, SearchAsked, SearchError, SearchFound, SearchProgress, Watch,
    Where, expected, held_units, judged, most_of_each, proposal_of, search, searched, seen_now,
};
