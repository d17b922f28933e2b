//! Drills played by themselves over past sessions: the same drill, span and market give the same cycles.
//!
//! Nothing waits: at each look everything is filled at the prices of that look. What a cycle does after
//! its entry depends on nothing that another cycle does, so cycles are lived through side by side.

mod ground;
mod life;
mod play;
mod results;
mod road;

pub use ground::{DrillError, DrillGround};
pub use life::{Action, CycleDone, LookRow, Why};
pub use play::{Cycle, Played, Skip, Watching, play};
pub use results::{DrillResults, Part, curve, halves, held_instead, results};
pub(crate) use road::{Opening, road};
