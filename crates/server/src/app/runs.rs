//! Runs: each a file of its own, with its own clock, orders and ledger.
//!
//! The account is one run. Others stand beside its file, in a folder `FILE.runs`, which is their
//! catalogue; each is opened when it is first asked for and has a desk task of its own. None knows
//! of another.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::sync::Arc;

use desk::rules::{Rule, Scope};
use desk::{AccountRules, DayTradeSwitch, Moment, Money};
use engine::State;
use serde::{Deserialize, Serialize};
use store::StoreError;
use tokio::sync::{Mutex, watch};

use crate::app::follow::{Feeding, follow};
use crate::app::handle::{Desk, DeskHandle};
use crate::app::looks::Looks;
use crate::app::open::Past;
use crate::app::refusal::{Failure, Refusal};
use crate::{Beginning, Settings, open};

/// The name of the account's run.
pub const ACCOUNT: &str = "account";
/// The most that is paid into a run.
const MOST_MONEY: Money = Money::whole(100_000_000);
/// Longest name of a run.
const LONGEST: usize = 40;

/// Where a run keeps what it is about, among its drafts.
pub const ABOUT: &str = "run";

/// What a run is about; kept in its own file.
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize, Deserialize)]
pub struct About {
    /// The trader's words.
    #[serde(default)]
    pub note: String,
    /// The symbol that it is on; the whole market when absent.
    #[serde(default)]
    pub symbol: Option<String>,
    /// Where its clock began, in milliseconds.
    #[serde(default)]
    pub began: i64,
    /// The run that it branched from.
    #[serde(default)]
    pub from: Option<String>,
    /// It is over: it can be read.
    #[serde(default)]
    pub finished: bool,
}

/// A run in the catalogue.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Listed {
    /// The name of the run.
    pub name: String,
    /// Its desk is at work.
    pub open: bool,
    /// What it is about.
    pub about: About,
    /// Where its clock stands; absent where its file cannot be read.
    pub now: Option<Moment>,
    /// Value of its account at the last close.
    pub value: Option<Money>,
    /// Looks that can be gone back to.
    pub looks: usize,
}

/// How a run shall begin.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct NewRun {
    /// The name that the run gets.
    pub name: String,
    /// Where its clock begins; where the account stands when absent.
    pub at: Option<Moment>,
    /// Money paid in.
    pub money: Money,
    /// The symbol that it is on.
    pub symbol: Option<String>,
    /// With my rules.
    pub rules: bool,
    /// With kind and level of the account.
    pub account: bool,
    /// The trader's words.
    pub note: String,
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
    /// It cannot begin so.
    #[error("{0}")]
    Beginning(String),
    /// There is no such look.
    #[error("run {name:?} has no look at {at}; GET /api/runs/{name}/looks lists them")]
    Look {
        /// Of which run.
        name: String,
        /// Which was asked for.
        at: Moment,
    },
    /// Their folder cannot be read.
    #[error("{}: {why}", folder.display())]
    Folder {
        /// The folder that cannot be read.
        folder: PathBuf,
        /// What the system says.
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
    feeding: Option<Arc<Feeding>>,
}

impl Runs {
    /// Starts the account's desk; `data` is its file.
    pub fn start(account: Desk, data: &Path) -> Runs {
        let settings = account.settings().clone();
        let followed = account.followed();
        let account = DeskHandle::start(account);
        let feeding = followed.map(|market| follow(market, account.clone()));
        let runs = Runs {
            folder: store::beside(data, "runs"),
            settings,
            open: Mutex::default(),
            failure: watch::Sender::new(None),
            feeding,
            account: account.clone(),
        };
        runs.listen_to(account);
        runs
    }

    /// The feed that the account follows, where it lives on a market of one's own.
    pub fn feeding(&self) -> Option<&Arc<Feeding>> {
        self.feeding.as_ref()
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
            about: About::default(),
            now: Some(self.account.snapshot().clock.now),
            value: None,
            looks: 0,
        };
        let listed = names.into_iter().map(|name| {
            let place = self.place(&name);
            // A file that cannot be read is listed all the same; opening it tells why.
            let seen = store::glance(&place, ABOUT).unwrap_or_default();
            let about = seen.kept.map(|body| about_from(&body));
            Listed {
                open: open.contains_key(&name),
                about: about.unwrap_or_default(),
                now: seen.now,
                value: seen.value,
                looks: Looks::of(&place).list().len(),
                name,
            }
        });
        Ok(std::iter::once(account).chain(listed).collect())
    }

    /// Where the looks of a run are kept.
    pub fn looks(&self, name: &str) -> Looks {
        Looks::of(&self.place(name))
    }

    /// Begins a run: money paid in, the clock paused.
    ///
    /// # Errors
    /// It is no name, it is taken, it cannot begin so, or the file cannot be made.
    pub async fn begin(&self, new: NewRun) -> Result<DeskHandle, RunError> {
        check_name(&new.name)?;
        let mut open = self.open.lock().await;
        if self.place(&new.name).exists() {
            return Err(RunError::Exists(new.name));
        }
        let state = self.account.snapshot();
        let now = state.clock.now;
        let at = new.at.unwrap_or(now);
        let wrong = |said: String| Err(RunError::Beginning(said));
        if at > now {
            return wrong(format!(
                "{at} lies ahead of the account's clock; a rehearsal begins at {now} or before"
            ));
        }
        let first = state.world.first();
        if at.date() < first {
            return wrong(format!(
                "{at} lies before the world, which begins on {first}"
            ));
        }
        if new.money <= Money::ZERO || new.money > MOST_MONEY {
            return wrong(format!(
                "{} cannot be paid in; write an amount above zero and up to {}",
                new.money,
                MOST_MONEY.grouped()
            ));
        }
        if let Some(symbol) = &new.symbol
            && state.world.underlying(symbol).is_none()
        {
            return wrong(format!("symbol {symbol:?} is not known"));
        }
        let about = About {
            note: new.note,
            symbol: new.symbol,
            began: at.millis(),
            ..About::default()
        };
        let whole_campaigns = |r: &Rule| !matches!(r.scope, Scope::Campaign(_));
        let past = Past {
            at,
            money: new.money,
            account: if new.account {
                (state.rules, state.day_trades)
            } else {
                (AccountRules::default(), DayTradeSwitch::ByDate)
            },
            // A rule about one campaign of the account means nothing elsewhere.
            rules: if new.rules {
                let all = state.my_rules.iter().filter(|r| whole_campaigns(r));
                all.cloned().collect()
            } else {
                Vec::new()
            },
            kept: (ABOUT.into(), about_text(&about)),
        };
        self.opened(&mut open, &new.name, Beginning::Past(Box::new(past)))
            .await
    }

    /// Begins a run as another one stood at a look; the other one stays as it is.
    ///
    /// # Errors
    /// It is no name, it is taken, there is no such look, or the file cannot be made.
    pub async fn branch(&self, from: &str, at: Moment, name: &str) -> Result<DeskHandle, RunError> {
        check_name(name)?;
        let mut open = self.open.lock().await;
        let (place, looks) = (self.place(name), self.looks(from));
        if place.exists() {
            return Err(RunError::Exists(name.into()));
        }
        if !looks.list().contains(&at) {
            return Err(RunError::Look {
                name: from.into(),
                at,
            });
        }
        let to = place.clone();
        let own = self.looks(name);
        let copied = tokio::task::spawn_blocking(move || {
            looks.restore(at, &to)?;
            own.take_over(&looks, at);
            Ok::<(), StoreError>(())
        });
        copied
            .await
            .map_err(|e| faulty(&e))?
            .map_err(Failure::Store)?;
        let desk = self.opened(&mut open, name, Beginning::Empty).await?;
        let origin = from.to_owned();
        self.describe(&desk, move |about| about.from = Some(origin))
            .await?;
        Ok(desk)
    }

    /// Changes what a run is about.
    ///
    /// # Errors
    /// It cannot be kept.
    pub async fn describe(
        &self,
        desk: &DeskHandle,
        change: impl FnOnce(&mut About) + Send + 'static,
    ) -> Result<(), RunError> {
        let changed = desk.call(move |engine| {
            let mut about = about_of(engine.state());
            change(&mut about);
            if about.finished {
                engine.set_clock(Some(false), None)?;
            }
            engine.keep_draft(ABOUT.into(), Some(about_text(&about)))
        });
        let kept = changed.await.map_err(|e| faulty(&e))?;
        Ok(kept.map_err(Failure::Refusal)?)
    }

    /// Throws a run away, with its looks.
    ///
    /// # Errors
    /// There is no such run, or its file cannot be removed.
    pub async fn delete(&self, name: &str) -> Result<(), RunError> {
        let mut open = self.open.lock().await;
        let place = self.place(name);
        if check_name(name).is_err() || !place.exists() {
            return Err(RunError::Unknown(name.into()));
        }
        // Its desk ends when the last page of it is closed; until then it writes to a file without a
        // name.
        open.remove(name);
        let wrong = |why| RunError::Folder {
            folder: place.clone(),
            why,
        };
        std::fs::remove_file(&place).map_err(wrong)?;
        for beside in ["-wal", "-shm", ".lock"] {
            let mut other = place.as_os_str().to_owned();
            other.push(beside);
            // Not every file has all of them.
            let _ = std::fs::remove_file(other);
        }
        self.looks(name).forget();
        Ok(())
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
        self.opened(&mut open, name, Beginning::Empty).await
    }

    async fn opened(
        &self,
        open: &mut BTreeMap<String, DeskHandle>,
        name: &str,
        beginning: Beginning,
    ) -> Result<DeskHandle, RunError> {
        let (path, settings) = (self.place(name), self.settings.clone());
        let opening = tokio::task::spawn_blocking(move || {
            self::open(&path, beginning, &settings).map(DeskHandle::start)
        });
        let desk = opening.await.map_err(|e| faulty(&e))??;
        self.listen_to(desk.clone());
        open.insert(name.into(), desk.clone());
        Ok(desk)
    }
}

/// What a run is about.
pub fn about_of(state: &State) -> About {
    let kept = state.drafts.get(ABOUT);
    kept.map(|body| about_from(body)).unwrap_or_default()
}

/// What a run is about, as it is kept; what another version wrote and this one cannot read is nothing.
pub fn about_from(body: &str) -> About {
    serde_json::from_str(body).unwrap_or_default()
}

/// What a run is about, to be kept.
pub fn about_text(about: &About) -> String {
    // Words and numbers alone can always be written.
    serde_json::to_string(about).unwrap_or_default()
}

fn faulty(why: &dyn std::fmt::Display) -> RunError {
    RunError::Failed(Failure::Refusal(Refusal::Field {
        field: "run",
        message: why.to_string(),
    }))
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
