//! Why something failed here: the engine refused it, or it could not be kept.

pub use engine::Refusal;
use store::StoreError;
use thiserror::Error;

/// Why a run could not be opened, or a change of it not be kept.
#[derive(Debug, Error)]
pub enum Failure {
    /// The engine refused.
    #[error(transparent)]
    Refusal(#[from] Refusal),
    /// The database refused.
    #[error(transparent)]
    Store(#[from] StoreError),
}
