//! A film that takes long: its pieces are jobs of their own, which any worker takes; whoever has the film takes some
//! too, and joins them in the end. They are the same pieces however many workers there are, so the film has the same
//! bytes.

use std::path::PathBuf;
use std::time::Duration;

use jampin_core::time::{Frame, FrameRange};
use jampin_media::MediaError;
use jampin_store::{Job, JobState, Lease, NewJob, Seeker};
use serde_json::{Value, json};
use tokio::runtime::Handle;
use tokio::task::JoinHandle;
use uuid::Uuid;

use crate::canvas::Canvas;
use crate::durable::{make_room_for, put_in_place};
use crate::progress::{ExportProgress, Report};
use crate::snapshot::Snapshot;
use crate::task::{PieceTask, Task};
use crate::work::Work;
use crate::{ExportResult, Product, TaskError, Worker};

/// Frames of a piece: H.264 begins anew about as often anyway, and no worker's death costs more than these.
const FRAMES: u32 = 150;
/// How often it is looked how far the others are.
const LOOK: Duration = Duration::from_millis(300);

/// Whether so many frames are written in pieces.
pub(crate) fn is_long(frames: u32) -> bool {
    frames > FRAMES * 3 / 2
}

/// The ranges of the pieces. The last one may be half as long again, so that none is a few frames only.
fn ranges(whole: FrameRange) -> Vec<FrameRange> {
    let count = ((whole.count() + FRAMES / 2) / FRAMES).max(1);
    let first = |n: u32| Frame(whole.first.0 + n * FRAMES);
    let last = |n: u32| if n + 1 == count { whole.last } else { Frame(first(n + 1).0 - 1) };
    (0..count).map(|n| FrameRange { first: first(n), last: last(n) }).collect()
}

fn path_of(worker: &Worker, task: &PieceTask) -> PathBuf {
    let name = format!("{}-{}.{}", task.take, task.range.first.0, task.container.extension());
    worker.library.pieces(task.export).join(name)
}

/// One piece.
pub(crate) fn run(work: &Work<'_>) -> Result<Value, TaskError> {
    let task: PieceTask = work.task()?;
    let Work { worker, runtime, lease, cancel, .. } = *work;
    let snapshot = runtime.block_on(Snapshot::of(&worker.library, task.export, task.take))?;
    let canvas = Canvas::of(worker, runtime, &snapshot)?;
    let path = path_of(worker, &task);
    let draft = path.with_file_name(format!("{}.{}.{}", lease.job, lease.attempt, task.container.extension()));
    make_room_for(&path)?;
    let mut report = Report::new(work, task.range.count(), 1);
    // The sound comes with the joining: cut once, where the shot is.
    let range = (task.range, Some(snapshot.range.first));
    let painted = canvas.paint(task.container, range, &draft, cancel, &mut |frames| report.say(frames));
    let kept = painted.and_then(|frames| {
        if frames < task.range.count() && task.range.last < snapshot.range.last {
            let at = task.range.first.0 + frames;
            return Err(TaskError::Missing(format!("The film cannot be decoded from frame {at} on.")));
        }
        put_in_place(&draft, &path)?;
        runtime.block_on(worker.library.keep(&path))?;
        worker.library.drop_copy(&path);
        Ok(frames)
    });
    let _ = std::fs::remove_file(&draft);
    Ok(json!({ "frames": kept? }))
}

/// How pieces of these shots become one film.
pub(crate) type Join<'a> = dyn Fn(&[Snapshot], &[Made]) -> Result<ExportResult, TaskError> + 'a;

/// A film that is made in pieces.
pub(crate) struct Whole<'a> {
    /// The shots that are in it, one after the other, as they are now.
    pub takes: &'a dyn Fn() -> Result<Vec<Snapshot>, TaskError>,
    /// What the pieces are.
    pub product: Product,
    /// How often each frame is gone through.
    pub passes: u32,
    /// Makes one of them.
    pub join: &'a Join<'a>,
}

/// A piece that is there.
pub(crate) struct Made {
    pub take: usize,
    pub range: FrameRange,
    pub path: PathBuf,
}

/// All of it. An attempt that follows another goes on with the pieces, and the shots, of that one.
pub(crate) fn in_pieces(work: &Work<'_>, whole: &Whole<'_>) -> Result<Value, TaskError> {
    let Work { worker, runtime, lease, .. } = *work;
    if runtime.block_on(worker.store.pieces(lease.job))?.is_empty() {
        begin(work, whole)?;
    }
    let joined = loop {
        let pieces = all_done(work, whole.passes)?;
        match join(work, whole, &pieces) {
            Err(TaskError::Media(MediaError::Io { source, .. })) if source.kind() == std::io::ErrorKind::NotFound => {
                look_after_lost(work, &pieces)?;
            }
            joined => break joined?,
        }
    };
    runtime.block_on(worker.library.forget_pieces(lease.job));
    Ok(serde_json::to_value(joined)?)
}

/// Keeps the shots as they are, then asks for the pieces: where there are pieces, there are the shots.
fn begin(work: &Work<'_>, whole: &Whole<'_>) -> Result<(), TaskError> {
    let Work { worker, runtime, lease, .. } = *work;
    let mut asked: Vec<NewJob> = Vec::new();
    for (take, snapshot) in (0..).zip((whole.takes)()?) {
        runtime.block_on(snapshot.keep(&worker.library, lease.job, take))?;
        for range in ranges(snapshot.range) {
            let task = PieceTask { export: lease.job, take, clip: snapshot.clip, range, container: whole.product };
            asked.push(Task::Piece(task).into_job(snapshot.project)?);
        }
    }
    Ok(runtime.block_on(worker.store.ask_for_pieces(lease, asked))?)
}

/// The pieces in their order.
fn tasks_of(pieces: &[Job]) -> Result<Vec<(Uuid, PieceTask)>, TaskError> {
    let task = |piece: &Job| Ok::<_, TaskError>((piece.id, serde_json::from_value(piece.payload.clone())?));
    let mut tasks: Vec<(Uuid, PieceTask)> = pieces.iter().map(task).collect::<Result<_, _>>()?;
    tasks.sort_by_key(|(_, task)| (task.take, task.range.first));
    Ok(tasks)
}

/// Does pieces as long as one waits, then waits for the others. Gives all of them in their order.
fn all_done(work: &Work<'_>, passes: u32) -> Result<Vec<(Uuid, PieceTask)>, TaskError> {
    let Work { worker, runtime, lease, cancel, .. } = *work;
    let tasks = tasks_of(&runtime.block_on(worker.store.pieces(lease.job))?)?;
    let frames = tasks.iter().map(|(_, task)| task.range.count()).sum();
    let _telling = Telling::start(worker, runtime, lease, frames, passes);
    loop {
        if cancel.is_cancelled() {
            return Err(TaskError::Cancelled);
        }
        let mine = runtime.block_on(worker.store.claim_piece(Seeker::anywhere(lease.worker), lease.job))?;
        if let Some((job, held)) = mine {
            runtime.block_on(do_one(work, job, held));
            continue;
        }
        let pieces = runtime.block_on(worker.store.pieces(lease.job))?;
        if let Some(failed) = pieces.iter().find(|piece| matches!(piece.state, JobState::Failed | JobState::Cancelled))
        {
            return Err(TaskError::Missing(failed.problem.clone().unwrap_or_else(|| "A piece was stopped.".into())));
        }
        if pieces.iter().all(|piece| piece.state == JobState::Done) {
            return tasks_of(&pieces);
        }
        std::thread::sleep(LOOK);
    }
}

/// A piece on this lane; it is stopped with the export where a person wants that. Who was cut off for a while, and has
/// lost the export, leaves the pieces to whoever has it now.
async fn do_one(work: &Work<'_>, job: Job, held: Lease) {
    let piece = job.id;
    let mut at_work = std::pin::pin!(work.worker.work(job, held));
    let mut told = false;
    loop {
        tokio::select! {
            () = &mut at_work => return,
            () = tokio::time::sleep(LOOK) => {
                if work.cancel.is_cancelled() && !told && is_unwanted(work).await {
                    // When this fails it is stopped by its row, which ends with the export's.
                    told = work.worker.store.cancel_job(piece).await.is_ok();
                }
            }
        }
    }
}

async fn is_unwanted(work: &Work<'_>) -> bool {
    work.worker.store.job(work.lease.job).await.is_ok_and(|export| export.cancel)
}

/// Asks again for pieces whose file is not there any more.
fn look_after_lost(work: &Work<'_>, pieces: &[(Uuid, PieceTask)]) -> Result<(), TaskError> {
    let Work { worker, runtime, lease, .. } = *work;
    for (piece, task) in pieces {
        let path = path_of(worker, task);
        if runtime.block_on(worker.library.bring(path.clone())).is_err() || !path.exists() {
            runtime.block_on(worker.store.piece_is_lost(lease, *piece))?;
        }
    }
    Ok(())
}

fn join(work: &Work<'_>, whole: &Whole<'_>, pieces: &[(Uuid, PieceTask)]) -> Result<ExportResult, TaskError> {
    let Work { worker, runtime, lease, .. } = *work;
    let bring = |task: &PieceTask| {
        let path = runtime.block_on(worker.library.bring(path_of(worker, task)))?;
        // In the folder itself it is only looked for when it is read.
        path.metadata().map_err(MediaError::io("looking for a piece"))?;
        Ok(Made { take: task.take as usize, range: task.range, path })
    };
    let made: Vec<Made> = pieces.iter().map(|(_, task)| bring(task)).collect::<Result<_, MediaError>>()?;
    let takes = pieces.last().map_or(0, |(_, task)| task.take + 1);
    let snapshot = |take| runtime.block_on(Snapshot::of(&worker.library, lease.job, take));
    let takes: Vec<Snapshot> = (0..takes).map(snapshot).collect::<Result<_, _>>()?;
    (whole.join)(&takes, &made)
}

/// Tells how far all pieces are together, until it is dropped.
struct Telling(JoinHandle<()>);

impl Telling {
    fn start(worker: &Worker, runtime: &Handle, lease: &Lease, of: u32, passes: u32) -> Self {
        let (worker, lease) = (worker.clone(), *lease);
        Self(runtime.spawn(async move {
            loop {
                tokio::time::sleep(LOOK * 2).await;
                let Ok(pieces) = worker.store.pieces(lease.job).await else { continue };
                let frames = pieces.iter().map(frames_of).sum::<u32>() / passes;
                let progress = serde_json::to_value(ExportProgress { frames, of }).unwrap_or_default();
                // It is told again in a moment.
                let _ = worker.store.job_progress(&lease, &progress).await;
            }
        }))
    }
}

impl Drop for Telling {
    fn drop(&mut self) {
        self.0.abort();
    }
}

/// How many frames of a piece are written.
fn frames_of(piece: &Job) -> u32 {
    let said = match (&piece.state, &piece.result) {
        (JobState::Done, Some(result)) => &result["frames"],
        (JobState::Running, _) => &piece.progress["frames"],
        _ => &Value::Null,
    };
    said.as_u64().unwrap_or(0) as u32
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn pieces_are_the_whole_and_none_is_short() {
        for (first, last) in [(0, 225), (7, 240), (100, 1099), (0, 374), (0, 375), (3, 3)] {
            let whole = FrameRange { first: Frame(first), last: Frame(last) };
            let pieces = ranges(whole);
            assert_eq!((pieces[0].first, pieces[pieces.len() - 1].last), (whole.first, whole.last));
            assert!(pieces.windows(2).all(|pair| pair[0].last.0 + 1 == pair[1].first.0));
            let is_right = |piece: &FrameRange| piece.count() == FRAMES || piece.last == whole.last;
            assert!(pieces.iter().all(is_right), "{pieces:?}");
            let end = pieces[pieces.len() - 1].count();
            assert!(whole.count() < FRAMES || (FRAMES / 2..FRAMES * 3 / 2 + 1).contains(&end), "{pieces:?}");
        }
        assert!(!is_long(225) && is_long(226));
    }
}
