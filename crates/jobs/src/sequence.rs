//! The film of a whole project: its shots one after the other.

use std::path::{Path, PathBuf};
use std::time::{Duration, Instant};

use jampin_media::{Cancel, ClipInfo, Container, FrameTable, MediaError, Part, join};
use jampin_store::{Job, ShotInfo};
use serde::{Deserialize, Serialize};
use serde_json::Value;
use tokio::runtime::Handle;
use uuid::Uuid;

use crate::export::{ExportProgress, ExportResult, safe_name};
use crate::painting::{Painting, paint_film};
use crate::{Product, TaskError, Worker, pictures_of};

/// How often progress is written down.
const REPORT: Duration = Duration::from_millis(400);

/// What is to be written.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct SequenceTask {
    /// Of which project.
    pub project: Uuid,
    /// Into what.
    pub container: Container,
}

/// The pieces between painting and joining; they are gone when this is.
struct Pieces(PathBuf);

impl Drop for Pieces {
    fn drop(&mut self) {
        let _ = std::fs::remove_dir_all(&self.0);
    }
}

/// Says how far it is: each frame is painted, then joined.
struct Report<'a> {
    worker: &'a Worker,
    runtime: &'a Handle,
    job: Uuid,
    of: u32,
    begun: Instant,
    reported: Instant,
}

impl Report<'_> {
    fn say(&mut self, steps: u32) {
        if self.reported.elapsed() < REPORT {
            return;
        }
        self.reported = Instant::now();
        let left = self.of - steps.min(self.of);
        let seconds = self.begun.elapsed().as_secs_f64() / f64::from(steps.max(1)) * f64::from(left);
        let progress = ExportProgress { frames: steps / 2, of: self.of / 2, seconds_left: Some(seconds) };
        let value = serde_json::to_value(progress).unwrap_or_default();
        if let Err(error) = self.runtime.block_on(self.worker.store.job_progress(self.job, &value)) {
            tracing::warn!(%error, "progress could not be written down");
        }
    }
}

pub(crate) fn run(worker: &Worker, runtime: &Handle, job: &Job, cancel: &Cancel) -> Result<Value, TaskError> {
    let task: SequenceTask = serde_json::from_value(job.payload.clone())?;
    let project = runtime.block_on(worker.store.project(task.project))?;
    let shots: Vec<ShotInfo> =
        runtime.block_on(worker.store.shots(task.project))?.into_iter().filter(|shot| shot.in_film).collect();
    if shots.is_empty() {
        return Err(TaskError::Missing("No shot of this project is in its film: switch one on.".into()));
    }
    let out = worker.library.export(job.id, task.container.extension());
    let pieces = Pieces(out.with_extension("pieces"));
    std::fs::create_dir_all(&pieces.0)
        .map_err(|source| MediaError::Io { context: "making room for films".into(), source })?;
    let of: u32 = shots.iter().map(|shot| shot.range.count()).sum();
    let mut report =
        Report { worker, runtime, job: job.id, of: 2 * of, begun: Instant::now(), reported: Instant::now() };
    let (mut parts, mut done): (Vec<Part>, u32) = (Vec::new(), 0);
    for shot in &shots {
        let path = pieces.0.join(format!("{}.mkv", parts.len()));
        parts.push(piece(worker, runtime, shot, &path, cancel, &mut |frames| report.say(done + frames))?);
        done += shot.range.count();
    }
    join(&worker.library.tools, &parts, task.container, &out, cancel, &mut |frames| report.say(of + frames))?;
    let bytes = out.metadata().map(|meta| meta.len()).unwrap_or(0);
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
    let stored = runtime.block_on(worker.store.shot(shot.id))?;
    let clip = runtime.block_on(worker.store.clip(shot.clip_id))?;
    let info: ClipInfo = serde_json::from_value(clip.info)?;
    let table: FrameTable = serde_json::from_value(clip.frames)?;
    let painting = Painting {
        clip: &worker.library.clip(shot.clip_id).original(),
        info: &info,
        table: &table,
        range: shot.range,
        shot: &stored.shot,
        pictures: &pictures_of(&worker.library, &stored.shot),
        product: Product::Film(Container::Between),
        name: "",
        out,
    };
    paint_film(&worker.library.tools, &painting, cancel, report)?;
    let at = |frame: u32| table.micros(jampin_core::time::Frame(frame)).unwrap_or(0);
    let micros = at(shot.range.last.0 + 1) - at(shot.range.first.0);
    Ok(Part { path: out.to_owned(), size: info.size, micros, has_sound: info.audio.is_some() })
}
