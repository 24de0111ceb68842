//! The job that writes a finished film, or its graphics alone.

use std::path::PathBuf;

use jampin_media::{EncodeJob, Piece, join_numbered, join_pieces};
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
    let Work { worker, runtime, lease, cancel, .. } = *work;
    let draft = Draft::new(worker, lease, product.extension())?;
    let clip = runtime.block_on(worker.library.bring(worker.library.clip(snapshot.clip).original()))?;
    let (info, table, range, out) = (&snapshot.info, &snapshot.table, snapshot.range, draft.path());
    match product {
        Product::Film(container) => {
            let job = EncodeJob { clip: &clip, info, table, range, container, piece_of: None, out };
            let piece = |made: &Made| Piece { path: made.path.clone(), first: made.range.first };
            join_pieces(&worker.library.tools, &job, &made.iter().map(piece).collect::<Vec<_>>(), cancel)?;
        }
        Product::Other(_) => {
            let paths: Vec<PathBuf> = made.iter().map(|made| made.path.clone()).collect();
            join_numbered(&paths, out)?;
        }
    }
    let bytes = draft.publish(worker, runtime)?;
    Ok(ExportResult { file_name: file_name(&snapshot.name, product), bytes, frames: range.count() })
}
