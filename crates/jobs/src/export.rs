//! The job that writes a finished film, or its graphics alone.

use std::path::{Path, PathBuf};

use jampin_media::{Container, EncodeJob, Piece, join_numbered, join_pieces};
use serde_json::Value;

use crate::canvas::{Canvas, file_name};
use crate::draft::Draft;
use crate::pieces::{Made, Whole, in_pieces, is_long};
use crate::progress::Report;
use crate::snapshot::Snapshot;
use crate::work::Work;
use crate::{ExportResult, ExportTask, Product, TaskError};

pub(crate) fn run(work: &Work<'_>) -> Result<Value, TaskError> {
    let ExportTask { shot, container: product } = work.task()?;
    let Work { worker, runtime, lease, cancel, .. } = *work;
    let snapshot = Snapshot::of_now(worker, runtime, shot)?;
    let count = snapshot.range.count();
    if is_long(count) {
        let takes = || Ok(vec![Snapshot::of_now(worker, runtime, shot)?]);
        let join = |takes: &[Snapshot], made: &[Made]| join(work, &takes[0], product, made);
        return in_pieces(work, &Whole { takes: &takes, product, passes: 1, join: &join });
    }
    let draft = Draft::new(worker, lease, product.extension())?;
    let mut report = Report::new(work, count, 1);
    let canvas = Canvas::of(worker, runtime, &snapshot)?;
    let whole = (snapshot.range, None);
    let frames = canvas.paint(product, whole, draft.path(), cancel, &mut |frames| report.say(frames))?;
    let bytes = draft.publish(worker, runtime)?;
    Ok(serde_json::to_value(ExportResult { file_name: file_name(&snapshot.name, product), bytes, frames })?)
}

fn join(work: &Work<'_>, snapshot: &Snapshot, product: Product, made: &[Made]) -> Result<ExportResult, TaskError> {
    let Work { worker, runtime, lease, .. } = *work;
    let draft = Draft::new(worker, lease, product.extension())?;
    match product {
        Product::Film(container) => join_take(work, snapshot, container, made, draft.path())?,
        Product::Other(_) => {
            let paths: Vec<PathBuf> = made.iter().map(|made| made.path.clone()).collect();
            join_numbered(&paths, draft.path())?;
        }
    }
    let bytes = draft.publish(worker, runtime)?;
    Ok(ExportResult { file_name: file_name(&snapshot.name, product), bytes, frames: snapshot.range.count() })
}

/// Joins the pieces of one shot, with its sound.
pub(crate) fn join_take(
    work: &Work<'_>,
    take: &Snapshot,
    container: Container,
    made: &[Made],
    out: &Path,
) -> Result<(), TaskError> {
    let Work { worker, runtime, cancel, .. } = *work;
    let clip = runtime.block_on(worker.library.bring(worker.library.clip(take.clip).original()))?;
    let Snapshot { info, table, range, .. } = take;
    let job = EncodeJob { clip: &clip, info, table, range: *range, container, piece_of: None, out };
    let piece = |made: &Made| Piece { path: made.path.clone(), first: made.range.first };
    Ok(join_pieces(&worker.library.tools, &job, &made.iter().map(piece).collect::<Vec<_>>(), cancel)?)
}
