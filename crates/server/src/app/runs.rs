//! Runs: each a file of its own, with its own clock, orders and ledger.
//!
//! The account is one run. Others stand beside its file, in a folder `FILE.runs`, which is their
//! catalogue; each is opened when it is first asked for and has a desk task of its own. None knows
//! of another.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::sync::Arc;

use tokio::sync::{Mutex, watch};

use crate::app::handle::{Desk, DeskHandle};
use crate::app::refusal::{Failure, Refusal};
use crate::{Beginning, Settings, open};

/// The name of the account's run.
pub const ACCOUNT: &str = "account";
/// Longest name of a run.
const LONGEST: usize = 40;

/// A run in the catalogue.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Listed {
    /// Its name.
    pub name: String,
    /// Its desk is at work.
    pub open: bool,
}

/// Why a run cannot be reached.
#[derive(Debug, thiserror::Error)]
pub enum RunError {
    /// There is none of this name.
    #[error("there is no run {0:?}; GET /api/runs lists them")]
    Unknown(String),
    /// There is one of this name already.
    #[error("there is a run {0:?} already; take another name")]
    Exists(String),
    /// Not a name.
    #[error(
        "{0:?} is no name for a run; write 1 to {LONGEST} small letters, digits and hyphens, other \
         than {ACCOUNT:?}"
    )]
    Name(String),
    /// Their folder cannot be read.
    #[error("{}: {why}", folder.display())]
    Folder {
        /// Which.
        folder: PathBuf,
        /// Why.
        why: std::io::Error,
    },
    /// The file cannot be opened.
    #[error(transparent)]
    Failed(#[from] Failure),
}

/// The account, and the runs beside it.
pub struct Runs {
    account: DeskHandle,
    folder: PathBuf,
    /// What a new run is begun with: the account's world.
    settings: Settings,
    open: Mutex<BTreeMap<String, DeskHandle>>,
    failure: watch::Sender<Option<Arc<str>>>,
}

impl Runs {
    /// Starts the account's desk; `data` is its file.
    pub fn start(account: Desk, data: &Path) -> Runs {
        let settings = account.settings().clone();
        let account = DeskHandle::start(account);
        let runs = Runs {
            folder: store::beside(data, "runs"),
            settings,
            open: Mutex::default(),
            failure: watch::Sender::new(None),
            account: account.clone(),
        };
        runs.listen_to(account);
        runs
    }

    /// The account's desk.
    pub fn account(&self) -> &DeskHandle {
        &self.account
    }

    /// Waits until the desk of any run fails, and says why.
    pub async fn failed(&self) -> Arc<str> {
        let mut failure = self.failure.subscribe();
        loop {
            if let Some(why) = failure.borrow_and_update().clone() {
                return why;
            }
            if failure.changed().await.is_err() {
                std::future::pending::<()>().await;
            }
        }
    }

    /// A desk that fails ends the program, whichever run it is of.
    fn listen_to(&self, desk: DeskHandle) {
        // Without a runtime nothing is served, and nobody waits for a failure.
        let Ok(runtime) = tokio::runtime::Handle::try_current() else {
            return;
        };
        let failure = self.failure.clone();
        let failing = desk.failing();
        drop(desk);
        runtime.spawn(async move {
            if let Some(why) = failing.await {
                failure.send_replace(Some(why));
            }
        });
    }

    fn place(&self, name: &str) -> PathBuf {
        self.folder.join(format!("{name}.db"))
    }

    /// The catalogue, the account first.
    ///
    /// # Errors
    /// The folder cannot be read.
    pub async fn list(&self) -> Result<Vec<Listed>, RunError> {
        let open = self.open.lock().await;
        let mut names: Vec<String> = match std::fs::read_dir(&self.folder) {
            Ok(entries) => entries
                .filter_map(Result::ok)
                .filter_map(|e| e.file_name().into_string().ok())
                .filter_map(|n| n.strip_suffix(".db").map(str::to_owned))
                .filter(|n| check_name(n).is_ok())
                .collect(),
            Err(e) if e.kind() == std::io::ErrorKind::NotFound => Vec::new(),
            Err(why) => {
                let folder = self.folder.clone();
                return Err(RunError::Folder { folder, why });
            }
        };
        names.sort();
        let account = Listed {
            name: ACCOUNT.into(),
            open: true,
        };
        let others = names.into_iter().map(|name| Listed {
            open: open.contains_key(&name),
            name,
        });
        Ok(std::iter::once(account).chain(others).collect())
    }

    /// Begins a run of this name: money paid in, the clock paused.
    ///
    /// # Errors
    /// It is no name, it is taken, or the file cannot be made.
    pub async fn begin(&self, name: &str) -> Result<DeskHandle, RunError> {
        check_name(name)?;
        let mut open = self.open.lock().await;
        if self.place(name).exists() {
            return Err(RunError::Exists(name.into()));
        }
        self.opened(&mut open, name).await
    }

    /// The desk of a run, opened if it is not yet.
    ///
    /// # Errors
    /// There is no such run, or its file cannot be opened.
    pub async fn desk(&self, name: &str) -> Result<DeskHandle, RunError> {
        if name == ACCOUNT {
            return Ok(self.account.clone());
        }
        let mut open = self.open.lock().await;
        if let Some(desk) = open.get(name) {
            return Ok(desk.clone());
        }
        if check_name(name).is_err() || !self.place(name).exists() {
            return Err(RunError::Unknown(name.into()));
        }
        self.opened(&mut open, name).await
    }

    async fn opened(
        &self,
        open: &mut BTreeMap<String, DeskHandle>,
        name: &str,
    ) -> Result<DeskHandle, RunError> {
        let (path, settings) = (self.place(name), self.settings.clone());
        let opening = tokio::task::spawn_blocking(move || {
            self::open(&path, Beginning::Empty, &settings).map(DeskHandle::start)
        });
        let desk = opening.await.map_err(|e| {
            RunError::Failed(Failure::Refusal(Refusal::Field {
                field: "run",
                message: e.to_string(),
            }))
        })??;
        self.listen_to(desk.clone());
        open.insert(name.into(), desk.clone());
        Ok(desk)
    }
}

fn check_name(name: &str) -> Result<(), RunError> {
    let plain = |b: u8| b.is_ascii_lowercase() || b.is_ascii_digit() || b == b'-';
    let good = (1..=LONGEST).contains(&name.len()) && name.bytes().all(plain) && name != ACCOUNT;
    if good {
        Ok(())
    } else {
        Err(RunError::Name(name.into()))
    }
}
