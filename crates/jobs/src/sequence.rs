//! The film of a whole project: its shots one after the other.

use std::path::PathBuf;

use jampin_core::time::Frame;
use jampin_media::{Container, MediaError, Part, join};
use jampin_store::ShotInfo;
use serde_json::Value;

use crate::canvas::safe_name;
use crate::draft::Draft;
use crate::export::join_take;
use crate::pieces::{Made, Whole, in_pieces};
use crate::progress::Report;
use crate::snapshot::Snapshot;
use crate::work::Work;
use crate::{ExportResult, Product, SequenceTask, TaskError};

/// Each frame is painted, then joined.
const PASSES: u32 = 2;

pub(crate) fn run(work: &Work<'_>) -> Result<Value, TaskError> {
    let task: SequenceTask = work.task()?;
    let takes = || shots_of(work, &task);
    let join = |takes: &[Snapshot], made: &[Made]| joined(work, &task, takes, made);
    // They are encoded once more: until then they keep nearly all of the picture.
    let product = Product::Film(Container::Between);
    in_pieces(work, &Whole { takes: &takes, product, passes: PASSES, join: &join })
}

fn shots_of(work: &Work<'_>, task: &SequenceTask) -> Result<Vec<Snapshot>, TaskError> {
    let Work { worker, runtime, .. } = *work;
    let shots: Vec<ShotInfo> =
        runtime.block_on(worker.store.shots(task.project))?.into_iter().filter(|shot| shot.in_film).collect();
    if shots.is_empty() {
        return Err(TaskError::Missing("No shot of this project is in its film: switch one on.".into()));
    }
    shots.iter().map(|shot| Snapshot::of_now(worker, runtime, shot.id)).collect()
}

fn joined(work: &Work<'_>, task: &SequenceTask, takes: &[Snapshot], made: &[Made]) -> Result<ExportResult, TaskError> {
    let Work { worker, runtime, lease, cancel, .. } = *work;
    let project = runtime.block_on(worker.store.project(task.project))?;
    let draft = Draft::new(worker, lease, task.container.extension())?;
    let folder = Takes(draft.path().with_extension("pieces"));
    std::fs::create_dir_all(&folder.0).map_err(MediaError::io("making room for films"))?;
    let mut parts = Vec::with_capacity(takes.len());
    for (pieces, take) in made.chunk_by(|one, next| one.take == next.take).zip(takes) {
        let path = folder.0.join(format!("{}.{}", parts.len(), Container::Between.extension()));
        join_take(work, take, Container::Between, pieces, &path)?;
        parts.push(part(take, path));
    }
    let of: u32 = made.iter().map(|made| made.range.count()).sum();
    let mut report = Report::new(work, of, PASSES);
    join(&worker.library.tools, &parts, task.container, draft.path(), cancel, &mut |frames| report.say(of + frames))?;
    let bytes = draft.publish(worker, runtime)?;
    let file_name = format!("{}.{}", safe_name(&project.name), task.container.extension());
    Ok(ExportResult { file_name, bytes, frames: of })
}

fn part(take: &Snapshot, path: PathBuf) -> Part {
    let Snapshot { info, table, range, .. } = take;
    let at = |frame: u32| table.micros(Frame(frame)).unwrap_or(0);
    let micros = at(range.last.0 + 1) - at(range.first.0);
    Part { path, size: info.size, micros, has_sound: info.audio.is_some() }
}

/// Shots between joining their pieces and joining them; they are gone when this is.
struct Takes(PathBuf);

impl Drop for Takes {
    fn drop(&mut self) {
        let _ = std::fs::remove_dir_all(&self.0);
    }
}
