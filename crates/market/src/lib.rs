//! **market**: the stand-in for the world outside.
//!
//! A simulated world of invented instruments, markets quoted around theoretical value, a clock and
//! an exchange. Everything follows from a seed and a moment: nothing depends on the wall clock, on
//! thread timing or on hash order, and no moment needs the one before it. The crate depends on the
//! core alone; it keeps no files and knows no network. A real feed would take the place of
//! [`World`] and [`Quoter`] (what is listed, bid and asked, now and before), a real broker that of
//! [`exchange`] (what became of my orders).

mod clock;
pub mod exchange;
mod futures;
mod ladder;
pub mod lifecycle;
mod listing;
mod market_data;
mod noise;
mod own;
mod paid;
mod quotes;
mod rates;
mod recorded;
mod series;
pub mod session;
mod simulated;
mod source;
mod specs;
mod tape;
mod underlying_at;
mod world;

pub use clock::{Clock, SPEEDS, Step};
pub use listing::{ListingError, check_listed, contract, strikes};
pub use market_data::{Bar, Doubt, Listed};
pub use quotes::Quoter;
pub use rates::Rates;
pub use recorded::{Recorded, Told};
pub use source::{ANNOUNCED, Announced, AnnouncedKind, Print, PrintOf};
pub use specs::{DEMO_DAY, FEES, FIRST, LAST};
pub use tape::{AtTheMoney, MomentKnown, Reader, Seen, Sight, Tape};
pub use underlying_at::{CarriedTo, UnderlyingAt};
pub use world::{OwnMarket, SurfaceSlice, World};
