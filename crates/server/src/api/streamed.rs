//! Long answers: worked out on threads that give way to everybody else, told piece by piece as events
//! (HTML Living Standard, 9.2), and stopped by whoever closes them.

use std::convert::Infallible;
use std::sync::LazyLock;

use axum::response::sse::{Event, Sse};
use futures_util::Stream;
use futures_util::stream::poll_fn;
use rayon::{ThreadPool, ThreadPoolBuilder};
use serde::Serialize;
use tokio::sync::mpsc;

/// Long work shares threads that let everybody else go first, so that no page is slower for it.
static POOL: LazyLock<Option<ThreadPool>> = LazyLock::new(|| {
    let pool = ThreadPoolBuilder::new()
        .thread_name(|i| format!("background {i}"))
        .start_handler(|_| {
            let least = thread_priority::ThreadPriority::Min;
            // A system that does not allow it runs them like all others.
            let _ = thread_priority::set_current_thread_priority(least);
        });
    pool.build().ok()
});

/// Works something out on those threads.
pub(crate) fn in_background<T: Send>(f: impl FnOnce() -> T + Send) -> T {
    match POOL.as_ref() {
        Some(pool) => pool.install(f),
        None => f(),
    }
}

/// Pieces of an answer that wait to be read.
pub(crate) const WAITING: usize = 4;

/// What comes through a channel, each piece an event with its JSON.
pub(crate) fn events<T: Serialize + Send + 'static>(
    mut receive: mpsc::Receiver<T>,
) -> Sse<impl Stream<Item = Result<Event, Infallible>>> {
    let lines = poll_fn(move |cx| {
        receive.poll_recv(cx).map(|line| {
            line.map(|l| {
                let event = Event::default().json_data(l);
                Ok::<Event, Infallible>(event.unwrap_or_default())
            })
        })
    });
    Sse::new(lines)
}
