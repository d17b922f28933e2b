//! The one desk task: a thread that owns the state, takes commands one at a time, lets time pass,
//! and publishes an immutable snapshot after every change.
//!
//! Commands that wait together share a transaction: each is worked out on the state that the one
//! before left, all are kept at once, and only then is any of them published and answered. If they
//! cannot be kept, none has happened and none is answered.

use std::sync::mpsc::{Receiver, RecvTimeoutError, Sender, channel};
use std::time::{Duration, Instant};

use tokio::sync::{oneshot, watch};

use crate::state::{Desk, State};

/// Quotes move this often.
pub const TICK: Duration = Duration::from_millis(250);
/// The clock is written down this often while it runs.
const KEEP_CLOCK: Duration = Duration::from_secs(1);

/// Works on the desk and gives back how to answer, so that the answer follows the snapshot.
type Job = Box<dyn FnOnce(&mut Desk) -> Answer + Send>;
type Answer = Box<dyn FnOnce()>;

/// Sends commands to the desk task and reads its snapshots.
#[derive(Clone)]
pub struct DeskHandle {
    jobs: Sender<Job>,
    snapshots: watch::Receiver<State>,
}

/// The desk task has ended; the program is stopping.
#[derive(Debug, thiserror::Error)]
#[error("the desk is closing down")]
pub struct Closed;

impl DeskHandle {
    /// Starts the task.
    pub fn start(desk: Desk) -> DeskHandle {
        let (jobs, inbox) = channel();
        let (publish, snapshots) = watch::channel(desk.state().clone());
        std::thread::spawn(move || run(desk, &inbox, &publish));
        DeskHandle { jobs, snapshots }
    }

    /// Runs a command on the desk task and waits for its answer. The snapshot already shows what it
    /// did.
    pub async fn call<T: Send + 'static>(
        &self,
        job: impl FnOnce(&mut Desk) -> T + Send + 'static,
    ) -> Result<T, Closed> {
        let (answer, receive) = oneshot::channel();
        let boxed: Job = Box::new(move |desk| {
            let done = job(desk);
            Box::new(move || drop(answer.send(done)))
        });
        self.jobs.send(boxed).map_err(|_| Closed)?;
        receive.await.map_err(|_| Closed)
    }

    /// The state as of the last change.
    pub fn snapshot(&self) -> State {
        self.snapshots.borrow().clone()
    }

    /// Follows the snapshots.
    pub fn follow(&self) -> watch::Receiver<State> {
        self.snapshots.clone()
    }
}

/// Most commands of one transaction.
const TOGETHER: usize = 64;

/// Works on `first` and on what waits behind it, keeps it all, publishes, answers.
fn work(desk: &mut Desk, first: Job, inbox: &Receiver<Job>, publish: &watch::Sender<State>) {
    desk.gather();
    let mut answers = vec![first(desk)];
    answers.extend(inbox.try_iter().take(TOGETHER - 1).map(|job| job(desk)));
    if let Err(e) = desk.flush() {
        tracing::error!("commands could not be kept: {e}");
        return;
    }
    publish.send_replace(desk.state().clone());
    for answer in answers {
        answer();
    }
}

fn run(mut desk: Desk, inbox: &Receiver<Job>, publish: &watch::Sender<State>) {
    let mut last = Instant::now();
    let mut kept = Instant::now();
    loop {
        match inbox.recv_timeout(TICK.saturating_sub(last.elapsed())) {
            Ok(job) => {
                work(&mut desk, job, inbox, publish);
                // However many commands come, time passes.
                if last.elapsed() < TICK {
                    continue;
                }
            }
            Err(RecvTimeoutError::Disconnected) => return,
            Err(RecvTimeoutError::Timeout) => {}
        }
        let passed = last.elapsed();
        last = Instant::now();
        let keep = kept.elapsed() >= KEEP_CLOCK;
        if keep {
            kept = Instant::now();
        }
        let millis = i64::try_from(passed.as_millis()).unwrap_or(0).min(1_000);
        if let Err(e) = desk.pass(millis, keep) {
            tracing::error!("time cannot pass: {e}");
        }
        publish.send_replace(desk.state().clone());
    }
}
