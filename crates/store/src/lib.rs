//! **store**: what happened, kept for good.
//!
//! One SQLite file through Diesel. Facts are appended in one immediate transaction per command,
//! with full synchronisation: when [`Store::commit`] returns, they survive a crash. Positions, lots
//! and balances are never stored; [`Store::load`] returns the facts and the desk computes the rest.
//! The store knows the desk's types and nothing of markets or servers.

mod file;
mod review;
mod row;
mod rows;
mod schema;

use std::collections::HashMap;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::time::Duration;

use desk::order::Event;
use desk::{
    Cause, ClockState, Entry, EntryKind, Fact, Fill, Journalled, Moment, Money, Order, Saved,
};
use diesel::connection::SimpleConnection;
use diesel::prelude::*;
use diesel::r2d2::{self, ConnectionManager, Pool};
use diesel::sqlite::SqliteConnection;
use diesel_migrations::{EmbeddedMigrations, MigrationHarness, embed_migrations};
use thiserror::Error;

pub use file::{Glance, beside, copy, faults, glance, private, restore};
use file::{Lock, Versions};
use review::{
    DayNoteRow, DayRow, DecisionRow, EntryNoteRow, OwnDateRow, RuleRow, RungRow, SaidRow,
};
use rows::*;
use schema::*;

const MIGRATIONS: EmbeddedMigrations = embed_migrations!("migrations");

/// Why something could not be stored or read.
#[derive(Debug, Error)]
pub enum StoreError {
    /// The database refused.
    #[error("database: {0}")]
    Database(#[from] diesel::result::Error),
    /// The file cannot be opened.
    #[error("database file: {0}")]
    Open(#[from] diesel::ConnectionError),
    /// No connection to the file could be had.
    #[error("database connection: {0}")]
    Pool(#[from] diesel::r2d2::PoolError),
    /// The schema could not be brought up to date.
    #[error("database migration: {0}")]
    Migration(String),
    /// A file of ours cannot be opened, made or copied.
    #[error("{}: {why}", path.display())]
    File {
        /// The file that it is about.
        path: PathBuf,
        /// What is wrong with it.
        why: String,
    },
    /// Another program works on the file.
    #[error(
        "{} is in use by {holder}; stop that program first, or name another file with --data",
        path.display()
    )]
    Taken {
        /// The file that another program holds.
        path: PathBuf,
        /// Who holds it.
        holder: String,
    },
    /// A newer program wrote the file.
    #[error(
        "{} was written by a newer version of this program (schema {versions} is not known here); \
         start that version, or restore a backup made by this one",
        path.display()
    )]
    Newer {
        /// The file that is of a later version.
        path: PathBuf,
        /// What is not known here.
        versions: String,
    },
    /// The file does not hold together.
    #[error("the file does not hold together: {0}")]
    Broken(String),
    /// A row cannot be what it claims.
    #[error("{table} row {row}: {what}")]
    Row {
        /// The table that the row is in.
        table: &'static str,
        /// The number of the row.
        row: i64,
        /// What is wrong.
        what: String,
    },
}

/// What kept something from being written, as far as it matters to who waits for it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Hindrance {
    /// There is no room.
    Full,
    /// Another program holds the file.
    Locked,
    /// Any other reason, as SQLite tells it.
    Other,
}

impl StoreError {
    fn file(path: &Path, why: impl std::fmt::Display) -> StoreError {
        StoreError::File {
            path: path.into(),
            why: why.to_string(),
        }
    }

    /// What kind of hindrance this is.
    pub fn hindrance(&self) -> Hindrance {
        let text = self.to_string();
        // SQLite's own words for SQLITE_FULL and SQLITE_BUSY or SQLITE_LOCKED, which Diesel passes
        // on without their numbers.
        if text.contains("database or disk is full") {
            Hindrance::Full
        } else if text.contains("is locked") || matches!(self, StoreError::Pool(_)) {
            Hindrance::Locked
        } else {
            Hindrance::Other
        }
    }
}

/// What each connection begins with. Nobody else writes to the file; where something holds it all
/// the same, the desk does not wait for long but says so.
#[derive(Debug)]
struct Pragmas;

impl r2d2::CustomizeConnection<SqliteConnection, r2d2::Error> for Pragmas {
    fn on_acquire(&self, connection: &mut SqliteConnection) -> Result<(), r2d2::Error> {
        connection
            .batch_execute(
                "PRAGMA busy_timeout = 100; PRAGMA synchronous = FULL; PRAGMA foreign_keys = ON;",
            )
            .map_err(r2d2::Error::QueryError)
    }
}

/// The database. As long as it lives, no other program opens it.
#[derive(Clone)]
pub struct Store {
    pool: Pool<ConnectionManager<SqliteConnection>>,
    _lock: Arc<Lock>,
}

/// The rows of a table in order.
macro_rules! rows {
    ($c:expr, $table:ident, $row:ident, $order:expr) => {
        $table::table
            .select($row::as_select())
            .order($order)
            .load::<$row>($c)?
            .into_iter()
    };
}

impl Store {
    /// Opens (or creates) the file and brings its schema up to date; an older file is copied beside
    /// itself before.
    ///
    /// # Errors
    /// Another program works on the file, a newer one wrote it, it cannot be opened, or its schema
    /// cannot be brought up to date.
    pub fn open(path: &Path) -> Result<Store, StoreError> {
        let lock = Lock::take(path)?;
        file::private(path).map_err(|e| StoreError::file(path, e))?;
        let name = path.to_string_lossy();
        // The journal mode stays with the file, but can be set only while nobody else has it open:
        // one connection prepares the file before the pool opens its own.
        let mut first = SqliteConnection::establish(&name)?;
        // Without foreign keys meanwhile: a migration may build a table anew that others point to.
        first.batch_execute(
            "PRAGMA busy_timeout = 5000; PRAGMA journal_mode = WAL; PRAGMA foreign_keys = OFF;",
        )?;
        let versions = Versions::of(&mut first)?;
        versions.refuse_newer(path)?;
        if versions.is_behind() {
            if !versions.is_new() {
                file::copy_before_upgrade(path, &versions.copy_place(path))?;
            }
            first
                .run_pending_migrations(MIGRATIONS)
                .map_err(|e| StoreError::Migration(e.to_string()))?;
            let orphans = file::orphans(&mut first)?;
            if !orphans.is_empty() {
                return Err(StoreError::Broken(orphans.join("; ")));
            }
        }
        drop(first);
        let builder = Pool::builder()
            .max_size(2)
            .connection_timeout(Duration::from_secs(5))
            .connection_customizer(Box::new(Pragmas));
        Ok(Store {
            pool: builder.build(ConnectionManager::new(name))?,
            _lock: Arc::new(lock),
        })
    }

    /// Writes all facts or none. Durable when it returns.
    ///
    /// # Errors
    /// The database refuses; then nothing was written.
    pub fn commit(&self, facts: &[Fact]) -> Result<(), StoreError> {
        let c = &mut *self.pool.get()?;
        c.batch_execute("BEGIN IMMEDIATE")?;
        let written = write(c, facts).and_then(|()| Ok(c.batch_execute("COMMIT")?));
        if written.is_err() {
            // SQLite may have rolled back already, as it does when the disk is full; that nothing
            // is left to roll back must not hide why.
            let _ = c.batch_execute("ROLLBACK");
        }
        written
    }

    /// Lets the file grow to so many pages at most, or as it likes: how the tests fill a disk.
    ///
    /// # Errors
    /// The database refuses.
    #[doc(hidden)]
    pub fn limit_pages(&self, most: Option<u32>) -> Result<(), StoreError> {
        let most = most.unwrap_or(u32::MAX - 1);
        let all = (0..self.pool.max_size()).map(|_| self.pool.get());
        for mut c in all.collect::<Result<Vec<_>, _>>()? {
            c.batch_execute(&format!("PRAGMA max_page_count = {most};"))?;
        }
        Ok(())
    }

    /// Reads everything back.
    ///
    /// # Errors
    /// The database refuses, or a row cannot be what it claims.
    pub fn load(&self) -> Result<Saved, StoreError> {
        let mut connection = self.pool.get()?;
        let c = &mut *connection;
        let (orders, fills) = orders_of(c)?;
        let journal = journal_of(c, &fills)?;
        let clock = clock::table
            .select(ClockRow::as_select())
            .first(c)
            .optional()?;
        let draft_rows = rows!(c, drafts, DraftRow, drafts::slot);
        Ok(Saved {
            settings: settings::table
                .select(SettingRow::as_select())
                .load(c)?
                .into_iter()
                .map(|r| (r.name, r.value))
                .collect(),
            clock: clock.map(|r| ClockState {
                now: Moment::from_millis(r.now_ms),
                running: r.running,
                speed: r.speed.clamp(1, i64::from(u32::MAX)) as u32,
            }),
            orders,
            journal,
            drafts: draft_rows.map(|r| (r.slot, r.body)).collect(),
            declined: rows!(c, declined, DeclinedRow, declined::contract)
                .map(DeclinedRow::into_contract)
                .collect::<Result<_, _>>()?,
            labels: rows!(c, campaigns, CampaignRow, campaigns::id)
                .map(CampaignRow::into_label)
                .collect(),
            bells: rows!(c, bells, BellRow, bells::id)
                .map(BellRow::into_bell)
                .collect::<Result<_, _>>()?,
            days: rows!(c, days, DayRow, days::day)
                .map(DayRow::into_day)
                .collect::<Result<_, _>>()?,
            rules: rows!(c, rules, RuleRow, rules::id)
                .map(RuleRow::into_rule)
                .collect::<Result<_, _>>()?,
            standing: rows!(c, standing, RungRow, (standing::rule, standing::campaign))
                .map(RungRow::into_rung)
                .collect(),
            decisions: rows!(c, decisions, DecisionRow, decisions::id)
                .map(DecisionRow::into_decision)
                .collect::<Result<_, _>>()?,
            own_dates: rows!(c, own_dates, OwnDateRow, own_dates::id)
                .map(OwnDateRow::into_own_date)
                .collect::<Result<_, _>>()?,
            day_notes: rows!(c, day_notes, DayNoteRow, day_notes::day)
                .map(|r| (r.day, r.note))
                .collect(),
            entry_notes: rows!(c, entry_notes, EntryNoteRow, entry_notes::entry)
                .map(|r| (r.entry as usize, r.note))
                .collect(),
            said: rows!(c, said, SaidRow, (said::kind, said::id))
                .map(SaidRow::into_said)
                .collect::<Result<_, _>>()?,
        })
    }
}

/// All orders with what happened to them, and their executions by the number of their event.
fn orders_of(c: &mut SqliteConnection) -> Result<(Vec<Order>, HashMap<i64, Fill>), StoreError> {
    let mut fill_rows: HashMap<i64, Vec<FillLegRow>> = HashMap::new();
    for row in rows!(
        c,
        fill_legs,
        FillLegRow,
        (fill_legs::event_id, fill_legs::position)
    ) {
        fill_rows.entry(row.event_id).or_default().push(row);
    }
    let mut leg_rows: HashMap<i64, Vec<OrderLegRow>> = HashMap::new();
    for row in rows!(
        c,
        order_legs,
        OrderLegRow,
        (order_legs::order_id, order_legs::position)
    ) {
        leg_rows.entry(row.order_id).or_default().push(row);
    }
    let mut events: HashMap<i64, Vec<(Moment, Event)>> = HashMap::new();
    let mut fills: HashMap<i64, Fill> = HashMap::new();
    for row in rows!(c, order_events, EventRow, order_events::id) {
        let (id, order) = (row.id, row.order_id);
        let (at, event) = row.into_event(fill_rows.remove(&id).unwrap_or_default())?;
        if let Event::Filled(fill) = &event {
            fills.insert(id, fill.clone());
        }
        events.entry(order).or_default().push((at, event));
    }
    let order_rows = rows!(c, orders, OrderRow, orders::id);
    let orders = order_rows
        .map(|row| {
            let id = row.id;
            row.into_order(
                leg_rows.remove(&id).unwrap_or_default(),
                events.remove(&id).unwrap_or_default(),
            )
        })
        .collect::<Result<_, StoreError>>()?;
    Ok((orders, fills))
}

/// The journal in the order it was booked.
fn journal_of(
    c: &mut SqliteConnection,
    fills: &HashMap<i64, Fill>,
) -> Result<Vec<Journalled>, StoreError> {
    let mut posted: HashMap<i64, Vec<(desk::Book, Money)>> = HashMap::new();
    for row in rows!(
        c,
        postings,
        PostingRow,
        (postings::entry_id, postings::position)
    ) {
        posted.entry(row.entry_id).or_default().push(book_of(&row)?);
    }
    let journal_rows = rows!(c, journal, JournalRow, journal::id);
    journal_rows
        .map(|row| {
            let (kind, cause) = (kind_of(&row)?, cause_of(&row)?);
            let entry = Entry {
                at: Moment::from_millis(row.at_ms),
                kind,
                memo: row.memo,
                order: row.order_id.map(|o| o as u64),
                postings: posted.remove(&row.id).unwrap_or_default(),
                shares: Vec::new(),
            };
            Ok(Journalled {
                entry,
                fill: row.fill_event.and_then(|id| fills.get(&id).cloned()),
                cause,
            })
        })
        .collect()
}

/// Rows of the tables that only grow, gathered so that a long history goes in by few statements.
struct Additions {
    /// The largest numbers given so far.
    last_event: i64,
    last_entry: i64,
    /// The last fill of an order that is among these.
    last_fill: HashMap<u64, i64>,
    orders: Vec<OrderRow>,
    order_legs: Vec<OrderLegRow>,
    events: Vec<EventRow>,
    fill_legs: Vec<FillLegRow>,
    entries: Vec<JournalRow>,
    postings: Vec<PostingRow>,
}

/// Rows in one statement: SQLite takes 32,766 values in one, and no table has more than 24 columns.
const TOGETHER: usize = 500;

macro_rules! insert {
    ($c:expr, $table:ident, $rows:expr) => {
        for some in $rows.chunks(TOGETHER) {
            diesel::insert_into($table::table)
                .values(some)
                .execute($c)?;
        }
    };
}

impl Additions {
    fn to(c: &mut SqliteConnection) -> Result<Additions, StoreError> {
        let last_event: Option<i64> = order_events::table
            .select(diesel::dsl::max(order_events::id))
            .first(c)?;
        let last_entry: Option<i64> = journal::table
            .select(diesel::dsl::max(journal::id))
            .first(c)?;
        Ok(Additions {
            last_event: last_event.unwrap_or(0),
            last_entry: last_entry.unwrap_or(0),
            last_fill: HashMap::new(),
            orders: Vec::new(),
            order_legs: Vec::new(),
            events: Vec::new(),
            fill_legs: Vec::new(),
            entries: Vec::new(),
            postings: Vec::new(),
        })
    }

    /// Writes them, each table before those that refer to it.
    fn write(&self, c: &mut SqliteConnection) -> Result<(), StoreError> {
        insert!(c, orders, self.orders);
        insert!(c, order_legs, self.order_legs);
        insert!(c, order_events, self.events);
        insert!(c, fill_legs, self.fill_legs);
        insert!(c, journal, self.entries);
        insert!(c, postings, self.postings);
        Ok(())
    }

    fn order(&mut self, order: &desk::Order) {
        self.orders.push(OrderRow::of(order));
        for (position, leg) in order.request.unit.legs().iter().enumerate() {
            self.order_legs.push(OrderLegRow {
                order_id: order.id as i64,
                position: position as i64,
                instrument: leg.instrument.to_string(),
                ratio: leg.quantity,
                closes: order.request.closing.contains(&position),
            });
        }
        for (at, event) in &order.events {
            self.event(order.id, *at, event);
        }
    }

    fn event(&mut self, order: u64, at: Moment, event: &Event) {
        self.last_event += 1;
        let id = self.last_event;
        self.events.push(EventRow::of(id, order, at, event));
        let Event::Filled(fill) = event else {
            return;
        };
        self.last_fill.insert(order, id);
        for (position, leg) in fill.legs.iter().enumerate() {
            self.fill_legs.push(FillLegRow {
                event_id: id,
                position: position as i64,
                instrument: leg.instrument.to_string(),
                quantity: leg.quantity,
                price: leg.price.raw(),
                units: leg.terms.map(|t| t.units),
                margined: leg.terms.map(|t| t.margined),
            });
        }
    }

    fn entry(
        &mut self,
        c: &mut SqliteConnection,
        entry: &Entry,
        cause: Option<&Cause>,
    ) -> Result<(), StoreError> {
        self.last_entry += 1;
        let id = self.last_entry;
        let fill_event = match (entry.kind, entry.order) {
            (EntryKind::Trade, Some(order)) => match self.last_fill.get(&order) {
                Some(event) => Some(*event),
                None => last_fill(c, order)?,
            },
            _ => None,
        };
        let row = JournalRow {
            id,
            at_ms: entry.at.millis(),
            kind: kind_word(entry.kind).into(),
            memo: entry.memo.clone(),
            order_id: entry.order.map(|o| o as i64),
            fill_event,
            instrument: None,
            value: None,
            quantity: None,
            only_campaigns: None,
            from_campaign: None,
            to_campaign: None,
            parts: None,
        };
        self.entries.push(row.about(cause));
        for (position, (book, amount)) in entry.postings.iter().enumerate() {
            self.postings.push(PostingRow {
                entry_id: id,
                position: position as i64,
                book: book_word(*book).into(),
                amount: amount.raw(),
            });
        }
        Ok(())
    }
}

/// The last fill of an order that is written already.
fn last_fill(c: &mut SqliteConnection, order: u64) -> Result<Option<i64>, StoreError> {
    let of_it = order_events::order_id.eq(order as i64);
    Ok(order_events::table
        .filter(of_it.and(order_events::kind.eq("filled")))
        .select(diesel::dsl::max(order_events::id))
        .first(c)?)
}

/// Whether a fact is kept beside all that came before it; the others take the place of one.
fn adds(fact: &Fact) -> bool {
    matches!(
        fact,
        Fact::Placed(_) | Fact::Happened(..) | Fact::Booked(..)
    )
}

fn write(c: &mut SqliteConnection, facts: &[Fact]) -> Result<(), StoreError> {
    if facts.iter().any(adds) {
        let mut added = Additions::to(c)?;
        for fact in facts {
            match fact {
                Fact::Placed(order) => added.order(order),
                Fact::Happened(order, at, event) => added.event(*order, *at, event),
                Fact::Booked(entry, cause) => added.entry(c, entry, cause.as_ref())?,
                _ => {}
            }
        }
        added.write(c)?;
    }
    facts.iter().try_for_each(|fact| set(c, fact))
}

/// Writes a row in the place of the one with its key, if there is one.
macro_rules! replace {
    ($c:expr, $table:ident, $row:expr) => {
        diesel::replace_into($table::table)
            .values($row)
            .execute($c)?
    };
}

/// Writes a fact that takes the place of another, or takes it away.
fn set(c: &mut SqliteConnection, fact: &Fact) -> Result<(), StoreError> {
    match fact {
        Fact::Placed(_) | Fact::Happened(..) | Fact::Booked(..) => {}
        Fact::Setting(name, value) => {
            let row = SettingRow {
                name: name.clone(),
                value: value.clone(),
            };
            replace!(c, settings, row);
        }
        Fact::Clock(s) => {
            let row = ClockRow {
                id: 1,
                now_ms: s.now.millis(),
                running: s.running,
                speed: i64::from(s.speed),
            };
            replace!(c, clock, row);
        }
        Fact::Described(campaign, label) => {
            replace!(c, campaigns, CampaignRow::of(*campaign, label));
        }
        Fact::Declined(contract, true, at) => {
            let row = DeclinedRow {
                contract: contract.to_string(),
                at_ms: at.millis(),
            };
            replace!(c, declined, row);
        }
        Fact::Declined(contract, false, _) => {
            diesel::delete(declined::table.find(contract.to_string())).execute(c)?;
        }
        Fact::Draft(slot, body, at) => {
            let row = DraftRow {
                slot: slot.clone(),
                body: body.clone(),
                updated_ms: at.millis(),
            };
            replace!(c, drafts, row);
        }
        Fact::DraftGone(slot) => {
            diesel::delete(drafts::table.find(slot)).execute(c)?;
        }
        Fact::Bell(bell) => {
            replace!(c, bells, BellRow::of(bell));
        }
        Fact::BellGone(id) => {
            diesel::delete(bells::table.find(*id as i64)).execute(c)?;
        }
        Fact::Day(day) => {
            replace!(c, days, DayRow::of(day));
        }
        Fact::Rule(rule) => {
            replace!(c, rules, RuleRow::of(rule));
        }
        Fact::RuleGone(id) => {
            diesel::delete(rules::table.find(*id as i64)).execute(c)?;
        }
        Fact::Stands(rule, campaign, Some(s)) => {
            replace!(c, standing, RungRow::of(*rule, *campaign, s));
        }
        Fact::Stands(rule, campaign, None) => {
            let key = (*rule as i64, campaign.unwrap_or(0) as i64);
            diesel::delete(standing::table.find(key)).execute(c)?;
        }
        Fact::Decided(decision) => {
            replace!(c, decisions, DecisionRow::of(decision));
        }
        Fact::OwnDate(own) => {
            replace!(c, own_dates, OwnDateRow::of(own));
        }
        Fact::OwnDateGone(id) => {
            diesel::delete(own_dates::table.find(*id as i64)).execute(c)?;
        }
        Fact::DayNote(day, note) => {
            let row = DayNoteRow {
                day: day.clone(),
                note: note.clone(),
            };
            replace!(c, day_notes, row);
        }
        Fact::EntryNote(entry, note) => {
            let row = EntryNoteRow {
                entry: *entry as i64,
                note: note.clone(),
            };
            replace!(c, entry_notes, row);
        }
        Fact::Said(of, said) => {
            replace!(c, said, SaidRow::of(*of, said));
        }
    }
    Ok(())
}
