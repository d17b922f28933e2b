//! The one desk task: a thread that owns the engine and keeps its facts, takes commands one at a
//! time, lets time pass, and publishes an immutable snapshot after every change.
//!
//! Commands that wait together share a transaction: each is worked out on the state that the one
//! before left, all are kept at once, and only then is any of them published and answered. If they
//! cannot be kept, none has happened and each is told so. Time that cannot be kept does not pass:
//! the clock stands, says why, and goes on by itself when there is room again.
//!
//! A panic in here ends the whole program ([`DeskHandle::failed`]): nothing is served from a desk
//! that no longer works.
//!
//! A jump ahead is taken stop by stop: after each its facts are kept and its state is published,
//! and commands are taken in between, one of which may end the jump there.

use std::ops::Deref;
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::sync::Arc;
use std::sync::mpsc::{Receiver, RecvTimeoutError, Sender, TryRecvError, channel};
use std::time::{Duration, Instant};

use desk::Moment;
use engine::bells::{last_ring, next_look};
use engine::{Engine, Refusal, State};
use market::Clock;
use store::{Hindrance, Store, StoreError};
use tokio::sync::{oneshot, watch};

use crate::Settings;
use crate::app::refusal::Failure;
use crate::interchange::folder::Opened;

/// Quotes move this often.
pub const TICK: Duration = Duration::from_millis(250);
/// The clock is written down this often while it runs.
const KEEP_CLOCK: Duration = Duration::from_secs(1);
/// Longest work of a tick before others have their turn.
const LONGEST_WORK: Duration = Duration::from_millis(40);
/// Real time that a tick counts at most: a machine that slept does not leap ahead.
const LONGEST_TICK: Duration = Duration::from_secs(1);

/// An engine, and the database that keeps what happens in it. It reads like the engine.
pub struct Desk {
    engine: Engine,
    store: Store,
    settings: Settings,
    /// The market that its clock follows.
    followed: Option<Arc<Opened>>,
}

impl Deref for Desk {
    type Target = Engine;

    fn deref(&self) -> &Engine {
        &self.engine
    }
}

impl Desk {
    /// An engine whose facts so far are kept in a store.
    pub fn new(
        engine: Engine,
        store: Store,
        settings: Settings,
        followed: Option<Arc<Opened>>,
    ) -> Desk {
        Desk {
            engine,
            store,
            settings,
            followed,
        }
    }

    /// The market that its clock follows.
    pub fn followed(&self) -> Option<Arc<Opened>> {
        self.followed.clone()
    }

    /// What it was opened with, what the file remembered among it.
    pub fn settings(&self) -> &Settings {
        &self.settings
    }

    /// The database, for what is not a command.
    pub fn store(&self) -> &Store {
        &self.store
    }

    /// Lets a command work and keeps what it did. If that cannot be kept, it has not happened.
    ///
    /// # Errors
    /// The command was refused, or could not be kept.
    pub fn run<T>(
        &mut self,
        command: impl FnOnce(&mut Engine) -> Result<T, Refusal>,
    ) -> Result<T, Failure> {
        let before = self.engine.checkpoint();
        let done = command(&mut self.engine);
        let facts = self.engine.take_facts();
        if !facts.is_empty()
            && let Err(e) = self.store.commit(&facts)
        {
            self.engine.go_back(before);
            return Err(e.into());
        }
        Ok(done?)
    }
}

/// Where a jump leads.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Way {
    /// Where it ends at the latest.
    pub to: Moment,
    /// It ends as soon as a bell rings.
    pub until_ring: bool,
}

impl From<Moment> for Way {
    fn from(to: Moment) -> Way {
        Way {
            to,
            until_ring: false,
        }
    }
}

/// Works on the engine and gives back how to answer, so that the answer follows the snapshot and
/// tells whether what was done could be kept.
type Command = Box<dyn FnOnce(&mut Engine) -> Answer + Send>;
type Answer = Box<dyn FnOnce(Result<(), Unkept>)>;
type Plan = Box<dyn FnOnce(&mut Engine) -> Result<Way, Refusal> + Send>;
type Arrived = oneshot::Sender<Result<Result<Clock, Refusal>, Unkept>>;

/// What waits for the task.
enum Job {
    Command(Command),
    /// Jump to where the plan leads, and answer when that is reached.
    Jump(Plan, Arrived),
    /// End the jump that is under way at its next stop.
    Stop,
}

/// Sends commands to the desk task and reads its snapshots.
#[derive(Clone)]
pub struct DeskHandle {
    jobs: Sender<Job>,
    snapshots: watch::Receiver<State>,
    failure: watch::Receiver<Option<Arc<str>>>,
}

/// What a command did could not be kept, so it has not happened.
#[derive(Debug, Clone, thiserror::Error)]
#[error(
    "this was not done, because it cannot be written down: {why}.{}",
    match hindrance {
        Hindrance::Full => " Make room on the disk and try again; nothing that was confirmed is lost",
        Hindrance::Locked => " Another program holds the file; close it and try again",
        Hindrance::Other => " Nothing that was confirmed is lost",
    }
)]
pub struct Unkept {
    /// What kind of hindrance.
    pub hindrance: Hindrance,
    /// In the database's words.
    pub why: String,
}

impl From<&StoreError> for Unkept {
    fn from(e: &StoreError) -> Unkept {
        Unkept {
            hindrance: e.hindrance(),
            why: e.to_string(),
        }
    }
}

/// Why the desk task did not serve.
#[derive(Debug, Clone, thiserror::Error)]
pub enum Unserved {
    /// It has ended; the program is stopping.
    #[error("the desk is closing down")]
    Closed,
    /// What it did could not be kept.
    #[error(transparent)]
    Unkept(#[from] Unkept),
}

impl DeskHandle {
    /// Starts the task.
    pub fn start(desk: Desk) -> DeskHandle {
        let (jobs, inbox) = channel();
        let (publish, snapshots) = watch::channel(desk.state().clone());
        let (fail, failure) = watch::channel(None);
        let task = Task {
            desk,
            inbox,
            publish,
            jump: None,
            stands: None,
        };
        std::thread::spawn(move || {
            // A task that failed leaves nothing behind that could be relied on.
            if let Err(panic) = catch_unwind(AssertUnwindSafe(|| task.run())) {
                fail.send_replace(Some(words_of(panic.as_ref()).into()));
            }
        });
        DeskHandle {
            jobs,
            snapshots,
            failure,
        }
    }

    /// Waits until the task ends: why it failed, or nothing if it ended in order. It does not hold
    /// the task back.
    pub fn failing(&self) -> impl Future<Output = Option<Arc<str>>> + Send + use<> {
        let mut failure = self.failure.clone();
        async move {
            // Either it says why, or it is gone: both end the waiting.
            let _ = failure.wait_for(Option::is_some).await;
            failure.borrow().clone()
        }
    }

    /// Runs a command on the desk task and waits for its answer. The snapshot already shows what it
    /// did.
    ///
    /// # Errors
    /// The task has ended, or the command could not be kept.
    pub async fn call<T: Send + 'static>(
        &self,
        command: impl FnOnce(&mut Engine) -> T + Send + 'static,
    ) -> Result<T, Unserved> {
        let (answer, receive) = oneshot::channel();
        let boxed: Command = Box::new(move |engine| {
            let done = command(engine);
            Box::new(move |kept| drop(answer.send(kept.map(|()| done))))
        });
        self.jobs
            .send(Job::Command(boxed))
            .map_err(|_| Unserved::Closed)?;
        Ok(receive.await.map_err(|_| Unserved::Closed)??)
    }

    /// Jumps to where `plan` leads and waits until the clock is there, or where the jump was ended.
    /// While another jump is under way the plan is not asked.
    ///
    /// # Errors
    /// The task has ended, or the plan could not be kept; inside, why the jump was refused.
    pub async fn jump(
        &self,
        plan: impl FnOnce(&mut Engine) -> Result<Way, Refusal> + Send + 'static,
    ) -> Result<Result<Clock, Refusal>, Unserved> {
        let (answer, receive) = oneshot::channel();
        self.jobs
            .send(Job::Jump(Box::new(plan), answer))
            .map_err(|_| Unserved::Closed)?;
        Ok(receive.await.map_err(|_| Unserved::Closed)??)
    }

    /// Ends the jump that is under way at its next stop, if there is one.
    pub fn stop_jump(&self) {
        // A task that has ended has no jump either.
        let _ = self.jobs.send(Job::Stop);
    }

    /// Takes a clock that follows its market to where that has come, and waits until it is there or time
    /// cannot be kept; false once the task has ended. Not for an asynchronous place.
    pub fn come_to(&self, way: Way) -> bool {
        let (answer, arrived) = oneshot::channel();
        let plan: Plan = Box::new(move |engine| {
            let now = engine.state().clock.now;
            let runs = engine.state().clock.running;
            Ok(Way::from(if runs { way.to.max(now) } else { now }))
        });
        self.jobs.send(Job::Jump(plan, answer)).is_ok() && arrived.blocking_recv().is_ok()
    }

    /// Runs a command whose answer nobody needs and waits until it is done; false once the task has ended. Not
    /// for an asynchronous place.
    pub fn tell(&self, command: impl FnOnce(&mut Engine) + Send + 'static) -> bool {
        let (answer, receive) = oneshot::channel();
        let boxed: Command = Box::new(move |engine| {
            command(engine);
            Box::new(move |_| answer.send(()).unwrap_or_default())
        });
        self.jobs.send(Job::Command(boxed)).is_ok() && receive.blocking_recv().is_ok()
    }

    /// The state as of the last change.
    pub fn snapshot(&self) -> State {
        self.snapshots.borrow().clone()
    }

    /// The snapshots as they come.
    pub fn subscribe(&self) -> watch::Receiver<State> {
        self.snapshots.clone()
    }
}

/// Most commands of one transaction.
const TOGETHER: usize = 64;

/// A jump under way.
struct Jump {
    to: Moment,
    /// The last ring before it, where the next one ends it.
    rung: Option<Option<Moment>>,
    arrived: Arrived,
}

/// How a jump that failed is answered.
fn outcome(e: Failure) -> Result<Result<Clock, Refusal>, Unkept> {
    match e {
        Failure::Refusal(refusal) => Ok(Err(refusal)),
        Failure::Store(e) => Err(Unkept::from(&e)),
    }
}

struct Task {
    desk: Desk,
    inbox: Receiver<Job>,
    publish: watch::Sender<State>,
    jump: Option<Jump>,
    /// Why time stands although the clock runs.
    stands: Option<Arc<str>>,
}

/// What a panic said.
fn words_of(panic: &(dyn std::any::Any + Send)) -> String {
    let text = panic.downcast_ref::<&str>().map(|s| (*s).to_owned());
    text.or_else(|| panic.downcast_ref::<String>().cloned())
        .unwrap_or_else(|| "it gave no reason".into())
}

impl Task {
    fn run(mut self) {
        let mut last = Instant::now();
        let mut kept = Instant::now();
        loop {
            let job = if self.jump.is_some() {
                match self.inbox.try_recv() {
                    Ok(job) => Some(job),
                    Err(TryRecvError::Empty) => None,
                    Err(TryRecvError::Disconnected) => return,
                }
            } else {
                match self.inbox.recv_timeout(TICK.saturating_sub(last.elapsed())) {
                    Ok(job) => Some(job),
                    Err(RecvTimeoutError::Timeout) => None,
                    Err(RecvTimeoutError::Disconnected) => return,
                }
            };
            let busy = job.is_some();
            if let Some(job) = job {
                self.take(job);
            }
            if self.jump.is_some() {
                self.next_stop();
                last = Instant::now();
            } else if !busy || last.elapsed() >= TICK {
                // However many commands come, time passes.
                let passed = last.elapsed().min(LONGEST_TICK);
                last = Instant::now();
                // While it stands, it goes on no earlier than it can be written down.
                let keep = self.stands.is_some() || kept.elapsed() >= KEEP_CLOCK;
                if keep {
                    kept = Instant::now();
                }
                self.pass(passed, keep);
            }
        }
    }

    fn take(&mut self, job: Job) {
        match job {
            Job::Command(first) => self.work(first),
            Job::Stop => self.arrive(),
            Job::Jump(plan, arrived) => {
                let planned = match self.jump {
                    None => self.desk.run(plan),
                    Some(_) => Err(Failure::Refusal(Refusal::Field {
                        field: "step",
                        message: "the clock is jumping already; end that first".into(),
                    })),
                };
                match planned {
                    Ok(way) => {
                        let rung = way.until_ring.then(|| last_ring(self.desk.state()));
                        self.jump = Some(Jump {
                            to: way.to,
                            rung,
                            arrived,
                        });
                    }
                    Err(e) => drop(arrived.send(outcome(e))),
                }
            }
        }
    }

    /// Works on `first` and on the commands that wait behind it, keeps it all, publishes, answers.
    fn work(&mut self, first: Command) {
        let before = self.desk.engine.checkpoint();
        let mut answers = vec![first(&mut self.desk.engine)];
        let mut after = None;
        while answers.len() < TOGETHER && after.is_none() {
            match self.inbox.try_recv() {
                Ok(Job::Command(command)) => answers.push(command(&mut self.desk.engine)),
                Ok(other) => after = Some(other),
                Err(_) => break,
            }
        }
        let facts = self.desk.engine.take_facts();
        let kept = self.desk.store.commit(&facts);
        let told = kept
            .as_ref()
            .map_or_else(|e| Err(Unkept::from(e)), |()| Ok(()));
        if let Err(e) = kept {
            tracing::error!("commands could not be kept: {e}");
            self.desk.engine.go_back(before);
        } else {
            self.tell();
        }
        for answer in answers {
            answer(told.clone());
        }
        if let Some(job) = after {
            self.take(job);
        }
    }

    fn tell(&self) {
        let mut state = self.desk.state().clone();
        state.heading = self.jump.as_ref().map(|j| j.to);
        state.stands.clone_from(&self.stands);
        self.publish.send_replace(state);
    }

    /// Takes the jump to its next stop.
    fn next_stop(&mut self) {
        let Some((to, rung)) = self.jump.as_ref().map(|j| (j.to, j.rung)) else {
            return;
        };
        // A jump to the next ring goes from look to look, so that it ends where the bell rang.
        let part = match rung {
            Some(_) => to.min(next_look(self.desk.state().clock.now)),
            None => to,
        };
        match self.desk.run(|engine| engine.advance_to_stop(part)) {
            Ok(_) if rung.is_some_and(|before| last_ring(self.desk.state()) > before) => {
                self.arrive();
            }
            Ok(_) if self.desk.state().clock.now < to => self.tell(),
            Ok(_) => self.arrive(),
            Err(e) => {
                tracing::error!("time cannot pass: {e}");
                if let Some(jump) = self.jump.take() {
                    drop(jump.arrived.send(outcome(e)));
                }
                self.tell();
            }
        }
    }

    /// Ends the jump where it is, and answers.
    fn arrive(&mut self) {
        let Some(jump) = self.jump.take() else {
            return;
        };
        let kept = self.desk.run(|engine| {
            engine.note_clock();
            Ok(engine.state().clock)
        });
        self.tell();
        let told = match kept {
            Ok(clock) => Ok(Ok(clock)),
            Err(e) => outcome(e),
        };
        drop(jump.arrived.send(told));
    }

    /// Lets real time pass.
    fn pass(&mut self, real: Duration, keep: bool) {
        let nanos = i64::try_from(real.as_nanos()).unwrap_or(0);
        let began = Instant::now();
        let passed = match self.desk.engine.due(nanos) {
            None => Ok(false),
            Some(to) => loop {
                let more = self.desk.run(|engine| {
                    let more = engine.advance_to_stop(to)?;
                    if keep {
                        engine.note_clock();
                    }
                    Ok(more)
                });
                match more {
                    // Where there is more to do than there is time, the clock falls behind rather
                    // than keep others waiting.
                    Ok(true) if began.elapsed() < LONGEST_WORK => {}
                    Ok(_) => break Ok(true),
                    Err(e) => break Err(e),
                }
            },
        };
        let stands: Option<Arc<str>> = match &passed {
            Ok(_) => None,
            Err(Failure::Store(e)) => Some(e.to_string().into()),
            Err(Failure::Refusal(e)) => Some(e.to_string().into()),
        };
        let changed = stands != self.stands;
        if changed && let Some(why) = &stands {
            tracing::error!("time cannot pass: {why}");
        }
        self.stands = stands;
        if changed || matches!(passed, Ok(true)) {
            self.tell();
        }
    }
}
