//! The job that writes a finished film, or its graphics alone.

use jampin_core::scene::Scene;
use jampin_media::{ClipInfo, FrameTable};
use jampin_render::Typesetter;
use jampin_store::StoredShot;
use serde::{Deserialize, Serialize};
use serde_json::Value;
use tokio::runtime::Handle;
use uuid::Uuid;

use crate::draft::Draft;
use crate::footage::Footage;
use crate::painting::{Painting, paint_film};
use crate::progress::Report;
use crate::work::Work;
use crate::{ExportTask, TaskError, Worker};

/// What came out.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct ExportResult {
    /// Name to save it under.
    pub file_name: String,
    /// Its length in bytes.
    pub bytes: u64,
    /// Frames written.
    pub frames: u32,
}

pub(crate) fn run(work: &Work<'_>) -> Result<Value, TaskError> {
    let task: ExportTask = work.task()?;
    let Work { worker, runtime, lease, cancel, .. } = *work;
    let (stored, info, table) = shot_of(worker, runtime, task.shot)?;
    let draft = Draft::new(worker, lease, task.container.extension())?;
    let mut report = Report::new(worker, runtime, lease, stored.info.range.count(), 1);
    let path = worker.library.clip(stored.info.clip_id).original();
    let footage =
        runtime.block_on(Footage::of(&worker.store, &worker.library, stored.info.project_id, &stored.shot))?;
    let suffix = if task.container.is_graphics() { " graphics" } else { "" };
    let name = format!("{}{suffix}", safe_name(&stored.info.name));
    let typesetter = Typesetter::default();
    let painting = Painting {
        clip: &path,
        info: &info,
        table: &table,
        range: stored.info.range,
        scene: &Scene::new(&stored.shot, info.size, stored.info.range, &typesetter),
        typesetter: &typesetter,
        footage: &footage,
        product: task.container,
        name: &name,
        out: draft.path(),
    };
    let frames = paint_film(&worker.library.tools, &painting, cancel, &mut |frames| report.say(frames))?;
    let bytes = draft.publish(worker, runtime)?;
    let file_name = format!("{name}.{}", task.container.extension());
    Ok(serde_json::to_value(ExportResult { file_name, bytes, frames })?)
}

/// A shot with what is known of its clip.
pub(crate) fn shot_of(
    worker: &Worker,
    runtime: &Handle,
    shot: Uuid,
) -> Result<(StoredShot, ClipInfo, FrameTable), TaskError> {
    let stored = runtime.block_on(worker.store.shot(shot))?;
    let clip = runtime.block_on(worker.store.clip(stored.info.clip_id))?;
    Ok((stored, serde_json::from_value(clip.info)?, serde_json::from_value(clip.frames)?))
}

/// A file name that every system takes.
pub(crate) fn safe_name(name: &str) -> String {
    let safe: String = name.chars().map(|c| if c.is_alphanumeric() || " -_.".contains(c) { c } else { '_' }).collect();
    let safe = safe.trim_matches([' ', '.']).chars().take(80).collect::<String>();
    if safe.is_empty() { "shot".into() } else { safe }
}

#[cfg(test)]
mod tests {
    use super::safe_name;

    #[test]
    fn file_names_are_harmless() {
        assert_eq!(safe_name("Passing loop"), "Passing loop");
        assert_eq!(safe_name("../../etc/passwd"), "_.._etc_passwd");
        assert_eq!(safe_name("..."), "shot");
    }
}
