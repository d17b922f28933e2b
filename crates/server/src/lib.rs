//! **server**: the API, the stream, the one desk task and the command line.
//!
//! Four rooms: `app` (opened files as desks; it knows nothing of the wire), `api` (one use case a
//! file, its request and response types beside it), `http` (the router and what stands before it)
//! and `interchange` (open formats). The binary adds `cli`. Handlers only translate: wire type →
//! core call → wire type. All state is owned by one thread ([`DeskHandle`]); it works a command
//! out, writes its facts in one transaction, and publishes an immutable snapshot that readers use
//! without waiting. Heavy reading runs on blocking threads.

mod api;
mod app;
mod http;
mod interchange;

pub use app::demo;
pub use app::handle::{Desk, DeskHandle};
pub use app::refusal::{Failure, Refusal};
pub use app::runs::{RunError, Runs};
pub use app::token::Token;
pub use app::{Beginning, Settings, check, make_folder, open};
pub use engine::{Engine, State, Tie};
pub use http::guard::Guard;
pub use http::problem::Problem;
pub use http::{AppState, openapi_json, router, run};
pub use interchange::{drill, folder};
