//! An account's file: opened, filled where it is new, checked.

use std::collections::HashMap;
use std::path::{Path, PathBuf};
use std::sync::Arc;

use desk::rules::Rule;
use desk::{AccountRules, DayTradeSwitch, Fact, Moment, Money};
use engine::Engine;
use market::{FEES, World};
use store::{Store, StoreError};

use crate::app::handle::Desk;
use crate::app::refusal::{Failure, Refusal};
use crate::app::runs::{ABOUT, About, about_from};
use crate::app::{demo, rehearsed};
use crate::interchange::folder::{self, Opened};

/// What a new database begins with.
#[derive(Debug, Clone, PartialEq)]
pub enum Beginning {
    /// The demo account, traded up to the demo moment, clock running.
    Demo,
    /// Money paid in at the demo moment and nothing else, clock paused.
    Empty,
    /// Money paid in at a moment of the past, clock paused.
    Past(Box<Past>),
}

/// How a run begins that lives in the past.
#[derive(Debug, Clone, PartialEq)]
pub struct Past {
    /// The moment at which it begins.
    pub at: Moment,
    /// Money paid in.
    pub money: Money,
    /// Kind and level of the account, and the day-trade switch.
    pub account: (AccountRules, DayTradeSwitch),
    /// The rules that it begins with.
    pub rules: Vec<Rule>,
    /// What is kept in a place among the drafts.
    pub kept: (String, String),
}

/// What is asked for when a database is opened; it remembers all of it.
#[derive(Debug, Clone, Default)]
pub struct Settings {
    /// Seed of the world, for a new database.
    pub seed: u64,
    /// Folder of a market of one's own, opened beside the simulated one.
    pub market: Option<PathBuf>,
    /// Fee per option contract.
    pub option_fee: Option<Money>,
    /// Fee per future.
    pub future_fee: Option<Money>,
}

/// Names of the settings.
const SETTINGS: [&str; 4] = ["seed", "market", "option_fee", "future_fee"];

impl Settings {
    /// What is asked for now, over what was asked for before; the seed of a database stays.
    fn over(&self, saved: &HashMap<String, String>) -> Result<Settings, Refusal> {
        let money = |name: &'static str, set: Option<Money>| match (set, saved.get(name)) {
            (None, Some(text)) => {
                text.parse()
                    .map(Some)
                    .map_err(|e: desk::NumberError| Refusal::Field {
                        field: name,
                        message: e.to_string(),
                    })
            }
            _ => Ok(set),
        };
        Ok(Settings {
            seed: saved
                .get("seed")
                .and_then(|s| s.parse().ok())
                .unwrap_or(self.seed),
            market: self
                .market
                .clone()
                .or_else(|| saved.get("market").map(PathBuf::from)),
            option_fee: money("option_fee", self.option_fee)?,
            future_fee: money("future_fee", self.future_fee)?,
        })
    }

    fn facts(&self) -> Result<Vec<Fact>, Refusal> {
        let whole = |folder: &PathBuf| {
            let found = std::fs::canonicalize(folder).map_err(|e| Refusal::Field {
                field: "market",
                message: format!("{}: {e}", folder.display()),
            })?;
            Ok::<_, Refusal>(found.to_string_lossy().into_owned())
        };
        let fee = |money: Option<Money>| money.map(|m| m.to_string());
        let values = [
            Some(self.seed.to_string()),
            self.market.as_ref().map(whole).transpose()?,
            fee(self.option_fee),
            fee(self.future_fee),
        ];
        Ok(SETTINGS
            .iter()
            .zip(values)
            .filter_map(|(name, value)| Some(Fact::Setting((*name).to_owned(), value?)))
            .collect())
    }

    /// The world, and the market of one's own that it is of, where it is.
    fn world(&self) -> Result<(World, Option<Arc<Opened>>), Refusal> {
        for (field, fee) in [
            ("option_fee", self.option_fee),
            ("future_fee", self.future_fee),
        ] {
            if let Some(fee) = fee.filter(|f| *f < Money::ZERO) {
                return Err(Refusal::Field {
                    field,
                    message: format!("{fee} is below zero; write zero or more"),
                });
            }
        }
        let fees = desk::Fees {
            option: self.option_fee.unwrap_or(FEES.option),
            future: self.future_fee.unwrap_or(FEES.future),
        };
        let world = World::new(self.seed).with_fees(fees);
        let Some(folder) = &self.market else {
            return Ok((world, None));
        };
        let wrong = |message: String| Refusal::Field {
            field: "market",
            message,
        };
        let opened = folder::open(folder).map_err(wrong)?;
        let world = world.of_own(opened.recorded.clone(), opened.own.clone());
        Ok((world, Some(opened)))
    }
}

/// Refuses a file that holds what its market does not have: it could not be valued.
fn refuse_unknown(engine: &Engine) -> Result<(), Refusal> {
    let state = engine.state();
    let held = engine::campaigns::all_open(state);
    let unknown = held
        .iter()
        .filter(|c| state.world.underlying(&c.symbol).is_none());
    let symbols: std::collections::BTreeSet<&str> = unknown.map(|c| c.symbol.as_str()).collect();
    if symbols.is_empty() {
        return Ok(());
    }
    let symbols: Vec<&str> = symbols.into_iter().collect();
    Err(Refusal::Field {
        field: "market",
        message: format!(
            "this file holds {}, which the market's folder does not have; add it there, or begin another \
             file with --data",
            symbols.join(", ")
        ),
    })
}

/// Makes the folder of a database where there is none, for its owner alone.
///
/// # Errors
/// It cannot be made.
pub fn make_folder(path: &Path) -> Result<(), Refusal> {
    let Some(folder) = path.parent().filter(|f| !f.as_os_str().is_empty()) else {
        return Ok(());
    };
    let mut builder = std::fs::DirBuilder::new();
    builder.recursive(true);
    #[cfg(unix)]
    std::os::unix::fs::DirBuilderExt::mode(&mut builder, 0o700);
    builder.create(folder).map_err(|e| Refusal::Field {
        field: "data",
        message: format!("{}: {e}", folder.display()),
    })
}

/// What is not in order with a database and its books; nothing if all is. The file itself is left
/// as it is, of an older schema too: its books are looked at in a copy.
///
/// # Errors
/// There is no such database, a newer program wrote it, or it cannot be read.
pub fn check(path: &Path) -> Result<Vec<String>, Failure> {
    let mut faults = store::faults(path)?;
    if !faults.is_empty() {
        return Ok(faults);
    }
    let place = tempfile::tempdir().map_err(|e| Refusal::Field {
        field: "data",
        message: format!("no copy can be made to look at: {e}"),
    })?;
    let copy = place.path().join("copy.db");
    let looked = (|| {
        store::copy(path, &copy)?;
        let saved = Store::open(&copy)?.load()?;
        let settings = Settings::default().over(&saved.settings)?;
        let (world, _) = settings.world()?;
        Ok(Engine::restore(Arc::new(world), saved, demo::present()))
    })();
    match looked {
        Ok(engine) => faults.extend(engine.state().read_only.as_ref().map(ToString::to_string)),
        Err(Failure::Store(e @ (StoreError::Row { .. } | StoreError::Broken(_)))) => {
            faults.push(e.to_string());
        }
        Err(e) => return Err(e),
    }
    Ok(faults)
}

/// Opens a database, filling it first if it is new. One whose books do not reconcile is opened all
/// the same: it can be read and not changed.
///
/// # Errors
/// The file cannot be opened or read, was left half filled by an older version, or what is asked
/// for makes no sense.
pub fn open(path: &Path, beginning: Beginning, settings: &Settings) -> Result<Desk, Failure> {
    make_folder(path)?;
    let store = Store::open(path)?;
    let saved = store.load()?;
    let settings = settings.over(&saved.settings)?;
    let (mut world, opened) = settings.world()?;
    // A run on one symbol has no other listed.
    let own = saved.drafts.iter().find(|(slot, _)| slot == ABOUT);
    let about = match (&beginning, own) {
        (_, Some((_, body))) => about_from(body),
        (Beginning::Past(past), None) => about_from(&past.kept.1),
        _ => About::default(),
    };
    if let Some(symbol) = &about.symbol {
        world = world.only(symbol);
    }
    let world = Arc::new(world);
    let ready = saved.settings.contains_key("ready");
    if !ready && (!saved.orders.is_empty() || !saved.journal.is_empty()) {
        let message = format!(
            "{} was left half filled by an interrupted first start; delete it and start again",
            path.display()
        );
        return Err(Failure::Refusal(Refusal::Field {
            field: "data",
            message,
        }));
    }
    let start = match (ready, &beginning) {
        (false, Beginning::Demo) => demo::opening(),
        (false, Beginning::Empty) => opened
            .as_ref()
            .and_then(|o| o.last())
            .unwrap_or_else(demo::present),
        (false, Beginning::Past(past)) => past.at,
        (true, _) => demo::present(),
    };
    let mut engine = Engine::restore(world, saved, start);
    // The account lives with its market; runs beside it are lived through by hand.
    let followed =
        opened.filter(|_| about == About::default() && !matches!(beginning, Beginning::Past(_)));
    if followed.is_some() {
        refuse_unknown(&engine)?;
        engine.follow();
    }
    if let Some(why) = &engine.state().read_only {
        tracing::warn!("{} is opened to be read only: {why}", path.display());
        return Ok(Desk::new(engine, store, settings, None));
    }
    let mut facts = settings.facts()?;
    if !ready {
        match beginning {
            Beginning::Demo => {
                demo::trade(&mut engine)?;
                rehearsed::drills(&mut engine)?;
                rehearsed::summer(path, &settings)?;
                engine.set_clock(Some(true), Some(1))?;
            }
            Beginning::Empty => {
                engine.deposit(Money::whole(60_000))?;
                if followed.is_some() {
                    engine.set_clock(Some(true), None)?;
                }
            }
            Beginning::Past(past) => {
                engine.deposit(past.money)?;
                engine.set_account_rules(past.account.0, past.account.1)?;
                engine.replace_rules(past.rules)?;
                engine.keep_draft(past.kept.0, Some(past.kept.1))?;
            }
        }
        facts.extend(engine.take_facts());
        facts.push(Fact::Setting("ready".into(), "yes".into()));
    }
    // A new account is there whole, or not at all.
    store.commit(&facts)?;
    Ok(Desk::new(engine, store, settings, followed))
}
