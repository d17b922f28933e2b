//! **server**: the API, the stream, the one desk task and the command line.
//!
//! Handlers only translate: wire type → core call → wire type. All state is owned by one thread
//! ([`DeskHandle`]); it works a command out, writes its facts in one transaction, and publishes an
//! immutable snapshot that readers use without waiting. Heavy reading runs on blocking threads.

mod api;
mod app;
mod assets;
mod book_view;
mod chain_view;
pub mod demo;
pub mod files;
mod guard;
mod handle;
mod money;
mod order_wire;
mod positions;
mod problem;
mod refusal;
mod state;
mod stream;
mod trading;
mod wire;

use std::future::Future;
use std::path::Path;
use std::sync::Arc;

use desk::Moment;
use market::World;
use store::{Fact, Store};
use tokio::net::TcpListener;

pub use app::{AppState, openapi_json, router};
pub use guard::Hosts;
pub use handle::DeskHandle;
pub use problem::Problem;
pub use refusal::Refusal;
pub use state::{Desk, State};
pub use trading::Tie;

/// What a new database begins with.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Beginning {
    /// The demo account, traded up to the demo moment, clock running.
    Demo,
    /// Money paid in at the demo moment and nothing else, clock paused.
    Empty,
}

/// The world of a seed, with what was recorded in a folder beside it; and the last moment recorded.
fn world(seed: u64, folder: Option<&Path>) -> Result<(Arc<World>, Option<Moment>), Refusal> {
    let Some(folder) = folder else { return Ok((Arc::new(World::new(seed)), None)) };
    let wrong = |message: String| Refusal::Field { field: "market", message };
    let recorded = files::read_folder(folder).map_err(wrong)?;
    let last = recorded.iter().filter_map(market::Recorded::last_moment).max();
    let world = World::new(seed).with_recorded(recorded).map_err(|e| wrong(e.to_string()))?;
    Ok((Arc::new(world), last))
}

/// Opens a database, filling it first if it is new. A folder of one's own market is opened beside the simulated one, and remembered.
pub fn open(path: &Path, beginning: Beginning, seed: u64, folder: Option<&Path>) -> Result<Desk, Refusal> {
    if let Some(folder) = path.parent().filter(|f| !f.as_os_str().is_empty()) {
        std::fs::create_dir_all(folder).map_err(|e| Refusal::Field { field: "data", message: format!("{}: {e}", folder.display()) })?;
    }
    let store = Store::open(path)?;
    let saved = store.load()?;
    let ready = saved.settings.contains_key("ready");
    if ready {
        let seed = saved.settings.get("seed").and_then(|s| s.parse().ok()).unwrap_or(seed);
        let remembered = saved.settings.get("market").map(std::path::PathBuf::from);
        let (world, _) = world(seed, folder.or(remembered.as_deref()))?;
        if let Some(folder) = folder {
            store.commit(&[market_setting(folder)?])?;
        }
        return Desk::restore(store, world, saved, demo::present());
    }
    if !saved.orders.is_empty() || !saved.journal.is_empty() {
        let message = format!("{} was left half filled by an interrupted first start; delete it and start again", path.display());
        return Err(Refusal::Field { field: "data", message });
    }
    let (world, last) = world(seed, folder)?;
    store.commit(&[Fact::Setting("seed".into(), seed.to_string())])?;
    if let Some(folder) = folder {
        store.commit(&[market_setting(folder)?])?;
    }
    let start = if beginning == Beginning::Demo { demo::opening() } else { last.unwrap_or_else(demo::present) };
    let mut desk = Desk::restore(store.clone(), world, saved, start)?;
    match beginning {
        Beginning::Demo => {
            demo::trade(&mut desk)?;
            desk.set_clock(Some(true), Some(1))?;
        }
        Beginning::Empty => desk.deposit(desk::Money::whole(60_000))?,
    }
    store.commit(&[Fact::Setting("ready".into(), "yes".into())])?;
    Ok(desk)
}

fn market_setting(folder: &Path) -> Result<Fact, Refusal> {
    let whole = std::fs::canonicalize(folder).map_err(|e| Refusal::Field { field: "market", message: format!("{}: {e}", folder.display()) })?;
    Ok(Fact::Setting("market".into(), whole.to_string_lossy().into_owned()))
}

/// Serves until `shutdown` completes.
pub async fn run(listener: TcpListener, desk: Desk, shutdown: impl Future<Output = ()> + Send + 'static) -> std::io::Result<()> {
    let hosts = Hosts::loopback(listener.local_addr()?);
    let app = router(AppState::new(DeskHandle::start(desk)), hosts);
    axum::serve(listener, app).with_graceful_shutdown(shutdown).await
}
