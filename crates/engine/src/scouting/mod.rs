//! Finding trades: what a search stands on, the search over one underlying or all, scheduled news and
//! what it moved, and what became of expectations.

mod ground;
mod news;
mod search;

pub use ground::{Ground, GroundError, LawFrom};
pub use news::{
    After, Distance, Looks, MovePriced, PastMoves, PastNews, PricedAgainstReal, ReplayMade,
    Replayed, VolAround, move_priced, next_news, past_moves, past_news, priced_against_real,
    replayed,
};
pub(crate) use search::one_month_each;
pub use search::{
    Expectation, Expected, FoundRow, SearchAsked, SearchError, SearchFound, SearchProgress, Watch,
    Where, expected, held_units, judged, most_of_each, proposal_of, search, searched, seen_now,
    worth_at,
};
