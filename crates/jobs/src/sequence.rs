//! The film of a whole project: its shots one after the other.

use std::path::{Path, PathBuf};

use jampin_media::{Cancel, Container, MediaError, Part, join};
use jampin_store::ShotInfo;
use serde_json::Value;
use tokio::runtime::Handle;

use crate::canvas::{Canvas, safe_name};
use crate::draft::Draft;
use crate::export::shot_of;
use crate::progress::Report;
use crate::snapshot::Snapshot;
use crate::work::Work;
use crate::{ExportResult, Product, SequenceTask, TaskError, Worker};

/// The pieces between painting and joining; they are gone when this is.
struct Pieces(PathBuf);

impl Drop for Pieces {
    fn drop(&mut self) {
        let _ = std::fs::remove_dir_all(&self.0);
    }
}

pub(crate) fn run(work: &Work<'_>) -> Result<Value, TaskError> {
    let task: SequenceTask = work.task()?;
    let Work { worker, runtime, lease, cancel, .. } = *work;
    let project = runtime.block_on(worker.store.project(task.project))?;
    let shots: Vec<ShotInfo> =
        runtime.block_on(worker.store.shots(task.project))?.into_iter().filter(|shot| shot.in_film).collect();
    if shots.is_empty() {
        return Err(TaskError::Missing("No shot of this project is in its film: switch one on.".into()));
    }
    let draft = Draft::new(worker, lease, task.container.extension())?;
    let pieces = Pieces(draft.path().with_extension("pieces"));
    std::fs::create_dir_all(&pieces.0).map_err(MediaError::io("making room for films"))?;
    let of: u32 = shots.iter().map(|shot| shot.range.count()).sum();
    // Each frame is painted, then joined.
    let mut report = Report::new(worker, runtime, lease, of, 2);
    let (mut parts, mut done): (Vec<Part>, u32) = (Vec::new(), 0);
    for shot in &shots {
        let path = pieces.0.join(format!("{}.mkv", parts.len()));
        parts.push(piece(worker, runtime, shot, &path, cancel, &mut |frames| report.say(done + frames))?);
        done += shot.range.count();
    }
    join(&worker.library.tools, &parts, task.container, draft.path(), cancel, &mut |frames| report.say(of + frames))?;
    let bytes = draft.publish(worker, runtime)?;
    let file_name = format!("{}.{}", safe_name(&project.name), task.container.extension());
    Ok(serde_json::to_value(ExportResult { file_name, bytes, frames: of })?)
}

/// Paints one shot into a file that keeps nearly all of it.
fn piece(
    worker: &Worker,
    runtime: &Handle,
    shot: &ShotInfo,
    out: &Path,
    cancel: &Cancel,
    report: &mut dyn FnMut(u32),
) -> Result<Part, TaskError> {
    let (stored, info, table) = shot_of(worker, runtime, shot.id)?;
    let snapshot = Snapshot::new(stored, info, table);
    let canvas = Canvas::of(worker, runtime, &snapshot)?;
    canvas.paint(Product::Film(Container::Between), (shot.range, None), out, cancel, report)?;
    let Snapshot { info, table, .. } = &snapshot;
    let at = |frame: u32| table.micros(jampin_core::time::Frame(frame)).unwrap_or(0);
    let micros = at(shot.range.last.0 + 1) - at(shot.range.first.0);
    Ok(Part { path: out.to_owned(), size: info.size, micros, has_sound: info.audio.is_some() })
}
