//! The looks of a run: its file as it stood before each jump of its clock. A branch begins with a copy of
//! one of them, so it equals its origin up to there whatever either does later.

use std::path::{Path, PathBuf};

use desk::Moment;
use store::StoreError;

use crate::app::refusal::{Failure, Refusal};

/// Most looks of a run that are kept; the oldest but one goes first.
const MOST: usize = 400;

/// Where they are kept.
#[derive(Debug, Clone)]
pub struct Looks {
    file: PathBuf,
    folder: PathBuf,
}

impl Looks {
    /// Those of a run's file.
    pub fn of(file: &Path) -> Looks {
        Looks {
            file: file.to_owned(),
            folder: file.with_extension("looks"),
        }
    }

    fn place(&self, at: Moment) -> PathBuf {
        self.folder.join(format!("{}.db", at.millis()))
    }

    /// The moments that can be gone back to, ascending.
    pub fn list(&self) -> Vec<Moment> {
        let Ok(entries) = std::fs::read_dir(&self.folder) else {
            return Vec::new();
        };
        let moment = |name: String| name.strip_suffix(".db")?.parse().ok();
        let mut all: Vec<Moment> = entries
            .filter_map(Result::ok)
            .filter_map(|e| e.file_name().into_string().ok())
            .filter_map(moment)
            .map(Moment::from_millis)
            .collect();
        all.sort_unstable();
        all
    }

    /// Keeps the file as it stands at a moment; what was kept of the same moment is replaced.
    ///
    /// # Errors
    /// It cannot be copied.
    pub async fn keep(&self, at: Moment) -> Result<(), Failure> {
        let own = self.clone();
        let kept = tokio::task::spawn_blocking(move || own.keep_now(at));
        kept.await.map_err(|e| unkept(&e))?
    }

    fn keep_now(&self, at: Moment) -> Result<(), Failure> {
        std::fs::create_dir_all(&self.folder).map_err(|e| unkept(&e))?;
        let place = self.place(at);
        match std::fs::remove_file(&place) {
            Err(e) if e.kind() != std::io::ErrorKind::NotFound => return Err(unkept(&e)),
            _ => {}
        }
        store::copy(&self.file, &place)?;
        let all = self.list();
        // The first stays: it is where the run began.
        for old in all.iter().skip(1).take(all.len().saturating_sub(MOST)) {
            // A copy too many does no harm.
            let _ = std::fs::remove_file(self.place(*old));
        }
        Ok(())
    }

    /// Makes a file of the look of a moment.
    ///
    /// # Errors
    /// There is none of this moment, or it cannot be copied.
    pub fn restore(&self, at: Moment, to: &Path) -> Result<(), StoreError> {
        store::restore(&self.place(at), to)
    }

    /// Takes over the looks of another run up to a moment; those that cannot be are left out.
    pub fn take_over(&self, other: &Looks, until: Moment) {
        if std::fs::create_dir_all(&self.folder).is_err() {
            return;
        }
        for at in other.list().into_iter().filter(|at| *at <= until) {
            let (from, to) = (other.place(at), self.place(at));
            // A kept look is never written to, so both can be the same file.
            if std::fs::hard_link(&from, &to).is_err() {
                let _ = std::fs::copy(&from, &to);
            }
        }
    }

    /// Throws all of them away.
    pub fn forget(&self) {
        // What is left behind belongs to no run and is of no harm.
        let _ = std::fs::remove_dir_all(&self.folder);
    }
}

fn unkept(why: &dyn std::fmt::Display) -> Failure {
    Failure::Refusal(Refusal::Field {
        field: "looks",
        message: format!("the look cannot be kept: {why}"),
    })
}
