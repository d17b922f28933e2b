//! The program without its wire: opened files as desks, each with its own task, the runs beside the
//! account, and the word that lets a browser in.

pub(crate) mod beside;
pub mod demo;
pub(crate) mod follow;
pub mod handle;
pub(crate) mod looks;
mod open;
pub(crate) mod refusal;
mod rehearsed;
pub(crate) mod runs;
pub(crate) mod token;

pub use open::{Beginning, Settings, check, make_folder, open};
