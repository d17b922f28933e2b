//! The router: API, stream and front end, behind the guard.

pub(crate) mod assets;
mod document;
pub(crate) mod guard;
pub(crate) mod problem;

use std::future::Future;
use std::sync::{Arc, Mutex, MutexGuard};

use axum::Router;
use axum::extract::DefaultBodyLimit;
use axum::http::{HeaderName, HeaderValue, StatusCode, header};
use axum::routing::{any, get};
use axum::serve::ListenerExt;
use engine::{Engine, State};
use market::Quoter;
use tokio::net::TcpListener;
use tokio::sync::{OwnedSemaphorePermit, Semaphore};
use tower_http::compression::CompressionLayer;
use tower_http::set_header::SetResponseHeaderLayer;
use utoipa::OpenApi;
use utoipa_axum::router::OpenApiRouter;

use crate::api::balance::book::BookDesk;
use crate::api::lessons::LessonsDesk;
use crate::api::{self, stream};
use crate::app::beside;
use crate::app::follow::Feeding;
use crate::app::handle::{DeskHandle, Unserved};
use crate::app::looks::Looks;
use crate::app::refusal::Refusal;
use crate::app::runs::Runs;
use crate::http::problem::Problem;
use crate::interchange::drill;

/// What every handler can reach.
#[derive(Clone)]
pub struct AppState {
    /// The desk task.
    pub desk: DeskHandle,
    /// What readers of the whole book remember.
    pub(crate) book: Arc<BookDesk>,
    /// What closed campaigns say, as far as it was worked out.
    pub(crate) lessons: Arc<LessonsDesk>,
    /// Where the looks of a run are kept that can be gone back to; the account has none.
    pub(crate) looks: Option<Arc<Looks>>,
    /// The account's desk, where this one is another run's.
    account: Option<DeskHandle>,
    /// The feed that this desk's clock follows.
    pub(crate) feeding: Option<Arc<Feeding>>,
    quoters: Arc<Mutex<Vec<Quoter>>>,
    streams: Arc<Semaphore>,
}

/// Most streams of a run at once: pages that are open.
const MOST_STREAMS: usize = 100;

/// So many memories of quoters are kept; more readers at once begin with none.
const KEPT_QUOTERS: usize = 4;

impl AppState {
    /// Wraps a desk task.
    pub fn new(desk: DeskHandle) -> AppState {
        AppState {
            desk,
            book: Arc::default(),
            lessons: Arc::default(),
            looks: None,
            account: None,
            feeding: None,
            quoters: Arc::default(),
            streams: Arc::new(Semaphore::new(MOST_STREAMS)),
        }
    }

    /// The account's desk, whose clock may follow a feed.
    pub(crate) fn of_account(desk: DeskHandle, feeding: Option<Arc<Feeding>>) -> AppState {
        AppState {
            feeding,
            ..AppState::new(desk)
        }
    }

    /// The desk of a run beside the account, and where its looks are kept.
    pub(crate) fn of_run(desk: DeskHandle, account: DeskHandle, looks: Looks) -> AppState {
        AppState {
            looks: Some(Arc::new(looks)),
            account: Some(account),
            ..AppState::new(desk)
        }
    }

    /// How far the clock of a run that lives in the account's past may be taken.
    pub(crate) fn horizon(&self) -> Option<desk::Moment> {
        let now = self.account.as_ref()?.snapshot().clock.now;
        (self.desk.snapshot().clock.now < now).then_some(now)
    }

    /// A place for one more stream, kept as long as it lasts.
    ///
    /// # Errors
    /// There are as many as there may be.
    pub(crate) fn stream_place(&self) -> Result<OwnedSemaphorePermit, Problem> {
        let place = Arc::clone(&self.streams).try_acquire_owned();
        place.map_err(|_| {
            Problem::new(
                StatusCode::SERVICE_UNAVAILABLE,
                "too_many",
                format!("{MOST_STREAMS} pages are open already; close one first"),
            )
        })
    }

    /// The memories that no reader uses now. A quoter is only a memory of solved boundaries: a
    /// panic elsewhere leaves the others usable.
    fn spare_quoters(&self) -> MutexGuard<'_, Vec<Quoter>> {
        self.quoters
            .lock()
            .unwrap_or_else(std::sync::PoisonError::into_inner)
    }

    /// Lets a reader work with a quoter of its own: readers do not wait for each other.
    fn with_quoter<T>(&self, f: impl FnOnce(&mut Quoter) -> T) -> T {
        let mut quoter = self.spare_quoters().pop().unwrap_or_default();
        let done = f(&mut quoter);
        let mut spare = self.spare_quoters();
        if spare.len() < KEPT_QUOTERS {
            spare.push(quoter);
        }
        done
    }

    /// Reads the snapshot of now on a blocking thread.
    ///
    /// # Errors
    /// The program is stopping, or it has a fault here.
    pub async fn read<T: Send + 'static>(
        &self,
        f: impl FnOnce(&State, &mut Quoter) -> T + Send + 'static,
    ) -> Result<T, Problem> {
        let app = self.clone();
        let done =
            tokio::task::spawn_blocking(move || app.with_quoter(|q| f(&app.desk.snapshot(), q)))
                .await;
        done.map_err(|e| unread(&e))
    }

    /// Runs a command on the desk task.
    ///
    /// # Errors
    /// The command was refused, what it did could not be kept, or the program is stopping.
    pub async fn command<T: Send + 'static>(
        &self,
        f: impl FnOnce(&mut Engine) -> Result<T, Refusal> + Send + 'static,
    ) -> Result<T, Problem> {
        Ok(self.desk.call(f).await??)
    }
}

/// Why a reader came to no answer.
fn unread(e: &tokio::task::JoinError) -> Problem {
    if e.is_panic() {
        return Problem::new(
            StatusCode::INTERNAL_SERVER_ERROR,
            "fault",
            "this could not be worked out: a fault of the program; nothing was changed by it",
        );
    }
    Problem::from(Unserved::Closed)
}

#[derive(OpenApi)]
#[openapi(
    info(
        title = "Pike Bell",
        description = "Reads chains, judges structures, takes orders. Loopback only.",
        license(name = "MIT")
    ),
    servers(
        (url = "/", description = "The account."),
        (
            url = "/runs/{run}",
            description = "Another run, the account among them.",
            variables(("run" = (default = "account", description = "Its name.")))
        )
    ),
    components(schemas(
        stream::ServerMessage,
        stream::ClientMessage,
        drill::DrillText,
        drill::AmountText,
        drill::PriceLimitText,
        drill::LevelText,
        drill::FromLegText,
        drill::DeltaText,
        drill::LimitText,
        drill::EventText,
        drill::Exact
    ))
)]
struct ApiDoc;

fn documented() -> (Router<AppState>, utoipa::openapi::OpenApi) {
    let (router, said) = OpenApiRouter::with_openapi(ApiDoc::openapi())
        .nest("/api", api::router())
        .split_for_parts();
    let (_, catalogue) = OpenApiRouter::new()
        .nest("/api", api::runs::router())
        .split_for_parts();
    (router, document::complete(said.merge_from(catalogue)))
}

/// The OpenAPI document as JSON text.
pub fn openapi_json() -> String {
    documented().1.to_pretty_json().unwrap_or_default()
}

const POLICY: &str = "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; \
                      connect-src 'self'; frame-ancestors 'none'; base-uri 'none'; form-action \
                      'none'; object-src 'none'";

/// Most bytes of a request; a file of fills may be larger.
const MOST_BODY: usize = 64 * 1024;

/// One run as a service: its API, its stream and the front end.
pub(crate) fn one_run(state: AppState) -> Router {
    let (router, document) = documented();
    router
        .route(
            "/api/openapi.json",
            get(move || async move { axum::Json(document) }),
        )
        .route("/api/stream", any(stream::upgrade))
        .fallback(assets::serve)
        .with_state(state)
}

/// The whole program as one service, behind its guard: the account, and under `/runs/NAME` the
/// other runs.
pub fn router(runs: Arc<Runs>, guard: guard::Guard) -> Router {
    let fixed = |name: HeaderName, value: &'static str| {
        SetResponseHeaderLayer::overriding(name, HeaderValue::from_static(value))
    };
    let (catalogue, _) = OpenApiRouter::new()
        .nest("/api", api::runs::router())
        .split_for_parts();
    let ways = api::runs::Ways::new(runs.clone());
    catalogue
        .with_state(ways.clone())
        .merge(one_run(AppState::of_account(
            runs.account().clone(),
            runs.feeding().cloned(),
        )))
        .layer(axum::middleware::from_fn_with_state(ways, api::runs::lead))
        .layer(CompressionLayer::new())
        .layer(DefaultBodyLimit::max(MOST_BODY))
        .layer(axum::middleware::from_fn_with_state(guard, guard::check))
        .layer(fixed(header::CONTENT_SECURITY_POLICY, POLICY))
        .layer(fixed(header::X_CONTENT_TYPE_OPTIONS, "nosniff"))
        .layer(fixed(header::REFERRER_POLICY, "no-referrer"))
        .layer(fixed(
            HeaderName::from_static("cross-origin-resource-policy"),
            "same-origin",
        ))
        .layer(fixed(
            HeaderName::from_static("cross-origin-opener-policy"),
            "same-origin",
        ))
}

/// Serves the account and the runs beside it until `shutdown` completes.
///
/// # Errors
/// The listener fails, or a desk does.
pub async fn run(
    listener: TcpListener,
    runs: Runs,
    guard: guard::Guard,
    shutdown: impl Future<Output = ()> + Send + 'static,
) -> std::io::Result<()> {
    let runs = Arc::new(runs);
    // A short word of the stream goes out at once, not when the one before it was acknowledged.
    let listener = listener.tap_io(|connection| {
        let _ = connection.set_nodelay(true);
    });
    tokio::spawn(beside::watch(runs.account().clone()));
    let served =
        axum::serve(listener, router(runs.clone(), guard)).with_graceful_shutdown(shutdown);
    tokio::select! {
        ended = served => ended,
        why = runs.failed() => Err(std::io::Error::other(format!(
            "the desk failed and the program ends with it, so that nothing is shown that no longer \
             holds: {why}"
        ))),
    }
}
