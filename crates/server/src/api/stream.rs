//! The websocket: clock, quotes, account and evaluations.
//!
//! Each connection keeps what it last sent and pushes differences, so a slow reader never gets
//! behind: it is sent the newest state when it is ready. Of evaluations only the latest asked for
//! is worked on.

use std::collections::{HashMap, HashSet};
use std::sync::Arc;
use std::time::{Duration, Instant};

use axum::extract::State;
use axum::extract::ws::{Message, WebSocket, WebSocketUpgrade};
use axum::response::{IntoResponse, Response};
use desk::{Bell, Order};
use engine::State as DeskState;
use serde::{Deserialize, Serialize};
use tokio::task::JoinHandle;
use utoipa::ToSchema;

use crate::api::account::book::{BookView, Masthead, book_of, masthead_of};
use crate::api::chain::columns::{Column, MOST_COLUMNS};
use crate::api::chain::{Block, ChainHead, Row, blocks, head};
use crate::api::evaluate_now;
use crate::api::orders::wire::{OrderWire, order};
use crate::api::wire::evaluation::{EvaluateRequest, EvaluationWire};
use crate::api::wire::{ClockWire, clock_of};
use crate::http::AppState;
use crate::http::problem::Problem;

/// What the program pushes.
#[derive(Debug, Clone, Serialize, ToSchema)]
#[serde(tag = "type", rename_all = "camelCase")]
pub enum ServerMessage {
    /// The sign of life that was asked for.
    Alive,
    /// The clock moved or was set.
    Clock {
        /// Where the clock stands.
        clock: ClockWire,
    },
    /// The account's figures.
    Masthead {
        /// The figures that every page shows in its head.
        masthead: Masthead,
    },
    /// Head of the watched chain.
    Head {
        /// Underlying and ribbon.
        head: Box<ChainHead>,
    },
    /// Rows that changed; all rows of an expiration when `whole`.
    Rows {
        /// The symbol of the underlying.
        symbol: String,
        /// The key of the expiration, as its mark gives it.
        key: String,
        /// These replace all rows.
        whole: bool,
        /// The rows that have changed.
        rows: Vec<Row>,
    },
    /// The watched book.
    Book {
        /// All that is held, with what it makes together.
        book: Box<BookView>,
    },
    /// Orders or the account changed.
    Changed {
        /// A number that rises with every change.
        version: u64,
        /// Orders that are new or changed since the page was last told, ascending; absent where the
        /// page should read the list again.
        orders: Option<Vec<OrderWire>>,
        /// Lines of the ledger.
        entries: usize,
        /// Bells were set, rang, or were taken away.
        bells: bool,
    },
    /// Answer to an evaluation.
    Evaluation {
        /// The number that the request had.
        id: u64,
        /// What is said of the package that was asked about.
        evaluation: Box<EvaluationWire>,
    },
    /// An evaluation that could not be answered.
    Refused {
        /// As asked; absent when the message could not be read.
        id: Option<u64>,
        /// What was wrong with the request.
        problem: Problem,
    },
}

/// What a page asks for.
#[derive(Debug, Clone, Deserialize, ToSchema)]
#[serde(tag = "type", rename_all = "camelCase", deny_unknown_fields)]
pub enum ClientMessage {
    /// Follow a chain's head and the rows of some expirations.
    Watch {
        /// Symbol; absent to stop.
        symbol: Option<String>,
        /// The keys of the expirations that are wanted.
        expirations: Vec<String>,
        /// Columns of each contract beside bid and ask.
        #[serde(default)]
        columns: Vec<Column>,
    },
    /// Follow the book.
    WatchBook {
        /// On or off.
        on: bool,
    },
    /// Asks for a sign of life; answered with `alive` at once.
    Alive,
    /// Evaluate a structure; a later request replaces an earlier one that has not begun.
    Evaluate {
        /// Given back with the answer.
        id: u64,
        /// What to evaluate.
        request: EvaluateRequest,
    },
}

pub(crate) async fn upgrade(State(app): State<AppState>, up: WebSocketUpgrade) -> Response {
    let place = match app.stream_place() {
        Ok(place) => place,
        Err(e) => return e.into_response(),
    };
    up.max_message_size(64 * 1024)
        .on_upgrade(move |socket| async move {
            Connection::new(app).run(socket).await;
            drop(place);
        })
}

/// The book and the masthead are worked out at most this often while only time passes.
const SLOW: Duration = Duration::from_secs(1);
/// And at most this often however much changes; what is left out follows.
const CHANGED: Duration = Duration::from_millis(200);

/// Beyond so many changed orders the page reads its list again.
const MOST_NEWS: usize = 200;

struct Connection {
    app: AppState,
    symbol: Option<String>,
    expirations: Vec<String>,
    columns: Vec<Column>,
    wants_book: bool,
    sent: Sent,
    pending: Option<(u64, EvaluateRequest)>,
    working: Option<JoinHandle<ServerMessage>>,
}

/// What the page already has.
#[derive(Default)]
struct Sent {
    clock: Option<ClockWire>,
    moment: Option<desk::Moment>,
    version: u64,
    head: Option<ChainHead>,
    rows: HashMap<String, Vec<Row>>,
    masthead: Option<Masthead>,
    book: Option<BookView>,
    slow: Option<Instant>,
    owed: bool,
    orders: Option<ToldOrders>,
    bells: Option<Arc<Vec<Arc<Bell>>>>,
}

/// The orders that a page knows of, as far as they can still change.
struct ToldOrders {
    /// Those that were open, by number.
    open: HashMap<u64, Arc<Order>>,
    /// The last number.
    last: u64,
}

impl ToldOrders {
    fn now(state: &DeskState) -> ToldOrders {
        ToldOrders {
            open: state.open_orders().map(|o| (o.id, Arc::clone(o))).collect(),
            last: state.orders.last().map_or(0, |o| o.id),
        }
    }

    /// Orders that the page does not know as they are now, ascending. An order that has ended never
    /// changes again, so only those that were open and the new ones are looked at; and with each
    /// the open ones that cancel it or are cancelled by it, as they name each other.
    fn news<'a>(&self, state: &'a DeskState) -> Vec<&'a Arc<Order>> {
        let mut changed: Vec<&Arc<Order>> = self
            .open
            .iter()
            .filter_map(|(id, known)| {
                let now = state.order(*id).ok()?;
                (!Arc::ptr_eq(now, known)).then_some(now)
            })
            .collect();
        let new = state.orders.iter().rev();
        changed.extend(new.take_while(|o| o.id > self.last));
        let before = |o: &&Arc<Order>| self.open.get(&o.id)?.link().group;
        let groups: HashSet<u64> = changed
            .iter()
            .flat_map(|o| [o.link().group, before(o)])
            .flatten()
            .collect();
        let tied = |o: &&Arc<Order>| o.link().group.is_some_and(|g| groups.contains(&g));
        changed.extend(state.open_orders().filter(tied));
        changed.sort_by_key(|o| o.id);
        changed.dedup_by_key(|o| o.id);
        changed
    }
}

impl Connection {
    fn new(app: AppState) -> Connection {
        Connection {
            app,
            symbol: None,
            expirations: Vec::new(),
            columns: Vec::new(),
            wants_book: false,
            sent: Sent::default(),
            pending: None,
            working: None,
        }
    }

    async fn run(mut self, mut socket: WebSocket) {
        let mut states = self.app.desk.subscribe();
        states.mark_changed();
        loop {
            // What was left out because too much changed is sent when the line has rested, whether
            // or not anything else happens.
            let owed = self
                .sent
                .owed
                .then(|| self.sent.slow.unwrap_or_else(Instant::now) + CHANGED);
            let messages = tokio::select! {
                changed = states.changed() => {
                    if changed.is_err() { return }
                    states.borrow_and_update();
                    self.push().await
                }
                incoming = socket.recv() => match incoming {
                    Some(Ok(Message::Text(text))) => self.receive(&text).await,
                    Some(Ok(Message::Close(_)) | Err(_)) | None => return,
                    Some(Ok(_)) => Vec::new(),
                },
                () = until(owed) => self.push().await,
                done = finished(&mut self.working) => {
                    self.working = None;
                    self.start_evaluation();
                    done.into_iter().collect()
                }
            };
            for message in messages {
                let Ok(text) = serde_json::to_string(&message) else {
                    continue;
                };
                if socket.send(Message::Text(text.into())).await.is_err() {
                    return;
                }
            }
        }
    }

    async fn receive(&mut self, text: &str) -> Vec<ServerMessage> {
        match serde_json::from_str(text) {
            Ok(ClientMessage::Watch {
                symbol,
                expirations,
                mut columns,
            }) => {
                columns.truncate(MOST_COLUMNS);
                self.sent.head = None;
                self.sent.rows.retain(|key, _| {
                    symbol == self.symbol && expirations.contains(key) && columns == self.columns
                });
                (self.symbol, self.expirations, self.columns) = (symbol, expirations, columns);
                self.push_chain().await
            }
            Ok(ClientMessage::WatchBook { on }) => {
                self.wants_book = on;
                self.sent.book = None;
                self.push_book().await
            }
            Ok(ClientMessage::Alive) => vec![ServerMessage::Alive],
            Ok(ClientMessage::Evaluate { id, request }) => {
                self.pending = Some((id, request));
                self.start_evaluation();
                Vec::new()
            }
            Err(e) => {
                let problem = Problem::new(
                    axum::http::StatusCode::BAD_REQUEST,
                    "bad_message",
                    e.to_string(),
                );
                vec![ServerMessage::Refused { id: None, problem }]
            }
        }
    }

    fn start_evaluation(&mut self) {
        if self.working.is_some() {
            return;
        }
        let Some((id, request)) = self.pending.take() else {
            return;
        };
        let app = self.app.clone();
        self.working = Some(tokio::spawn(async move {
            let answered = app
                .read(move |state, quoter| {
                    evaluate_now(state, quoter, &request).map_err(Problem::from)
                })
                .await;
            match answered.and_then(|a| a) {
                Ok(evaluation) => ServerMessage::Evaluation {
                    id,
                    evaluation: Box::new(evaluation),
                },
                Err(problem) => ServerMessage::Refused {
                    id: Some(id),
                    problem,
                },
            }
        }));
    }

    async fn push(&mut self) -> Vec<ServerMessage> {
        let state = self.app.desk.snapshot();
        let mut out = Vec::new();
        let now = clock_of(&state);
        if self.sent.clock.as_ref() != Some(&now) {
            self.sent.clock = Some(now.clone());
            out.push(ServerMessage::Clock { clock: now });
        }
        let rested = self.sent.slow.is_none_or(|t| t.elapsed() >= CHANGED);
        let behind = self.sent.version != state.version;
        let changed = behind && rested;
        self.sent.owed = behind && !rested;
        if changed {
            out.push(self.changes(&state));
        }
        if self.sent.moment != Some(state.clock.now) {
            self.sent.moment = Some(state.clock.now);
            out.extend(self.push_chain().await);
            if changed || self.sent.slow.is_none_or(|t| t.elapsed() >= SLOW) {
                out.extend(self.push_slow().await);
            }
        } else if changed {
            out.extend(self.push_slow().await);
        }
        out
    }

    /// What changed since the page was last told.
    fn changes(&mut self, state: &DeskState) -> ServerMessage {
        self.sent.version = state.version;
        let orders = self.sent.orders.as_ref().and_then(|told| {
            let news = told.news(state);
            (news.len() <= MOST_NEWS).then(|| news.iter().filter_map(|o| order(o, state)).collect())
        });
        self.sent.orders = Some(ToldOrders::now(state));
        let before = self.sent.bells.replace(Arc::clone(&state.bells));
        ServerMessage::Changed {
            version: state.version,
            orders,
            entries: state.account.entries().len(),
            bells: before.is_none_or(|b| !Arc::ptr_eq(&b, &state.bells)),
        }
    }

    async fn push_chain(&mut self) -> Vec<ServerMessage> {
        let Some(symbol) = self.symbol.clone() else {
            return Vec::new();
        };
        let (keys, columns) = (self.expirations.clone(), self.columns.clone());
        let read = self.app.read(move |state, quoter| {
            let head = head(state, &symbol)?;
            let blocks = if keys.is_empty() {
                Vec::new()
            } else {
                blocks(state, quoter, &symbol, &keys, &columns)?
            };
            Ok::<_, Problem>((head, blocks))
        });
        match read.await.and_then(|r| r) {
            Ok((head, blocks)) => self.chain_differences(head, blocks),
            Err(problem) => {
                self.symbol = None;
                vec![ServerMessage::Refused { id: None, problem }]
            }
        }
    }

    fn chain_differences(&mut self, head: ChainHead, blocks: Vec<Block>) -> Vec<ServerMessage> {
        let mut out = Vec::new();
        let symbol = head.symbol.clone();
        for Block { key, rows } in blocks {
            let before = self.sent.rows.get(&key);
            let same_strikes = before.is_some_and(|b| {
                b.len() == rows.len() && b.iter().zip(&rows).all(|(a, b)| a.strike == b.strike)
            });
            let changed: Vec<Row> = match before {
                Some(before) if same_strikes => before
                    .iter()
                    .zip(&rows)
                    .filter(|(a, b)| a != b)
                    .map(|(_, b)| b.clone())
                    .collect(),
                _ => rows.clone(),
            };
            if !same_strikes || !changed.is_empty() {
                out.push(ServerMessage::Rows {
                    symbol: symbol.clone(),
                    key: key.clone(),
                    whole: !same_strikes,
                    rows: changed,
                });
            }
            self.sent.rows.insert(key, rows);
        }
        if self.sent.head.as_ref() != Some(&head) {
            self.sent.head = Some(head.clone());
            out.insert(
                0,
                ServerMessage::Head {
                    head: Box::new(head),
                },
            );
        }
        out
    }

    /// The book alone, at once: whoever asks for it waits for nothing else.
    async fn push_book(&mut self) -> Vec<ServerMessage> {
        if !self.wants_book {
            return Vec::new();
        }
        match self.app.read(book_of).await {
            Ok(book) => self.told_book(book).into_iter().collect(),
            Err(_) => Vec::new(),
        }
    }

    fn told_book(&mut self, book: BookView) -> Option<ServerMessage> {
        if self.sent.book.as_ref() == Some(&book) {
            return None;
        }
        self.sent.book = Some(book.clone());
        Some(ServerMessage::Book {
            book: Box::new(book),
        })
    }

    async fn push_slow(&mut self) -> Vec<ServerMessage> {
        self.sent.slow = Some(Instant::now());
        let wants_book = self.wants_book;
        let read = self.app.read(move |state, quoter| {
            (
                masthead_of(state, quoter),
                wants_book.then(|| book_of(state, quoter)),
            )
        });
        let Ok((masthead, book)) = read.await else {
            return Vec::new();
        };
        let mut out = Vec::new();
        if self.sent.masthead.as_ref() != Some(&masthead) {
            self.sent.masthead = Some(masthead.clone());
            out.push(ServerMessage::Masthead { masthead });
        }
        out.extend(book.and_then(|b| self.told_book(b)));
        out
    }
}

/// Waits for the evaluation being worked on; for ever when there is none.
async fn finished(working: &mut Option<JoinHandle<ServerMessage>>) -> Option<ServerMessage> {
    match working {
        Some(task) => task.await.ok(),
        None => std::future::pending().await,
    }
}

/// Waits until a moment; for ever when there is none.
async fn until(moment: Option<Instant>) {
    match moment {
        Some(moment) => tokio::time::sleep_until(moment.into()).await,
        None => std::future::pending().await,
    }
}
