//! Planes asked for.

use jampin_core::time::Frame;
use jampin_store::{Clip, ClipState, Store};

use crate::{Library, PrepareTask, Task, TaskError};

/// Has planes made again that were dropped to make room, or did not come with a backup. `near` is the frame that is
/// wanted first; nothing is done when it is there, or when somebody has asked already.
pub async fn ask_for_planes(
    store: &Store,
    library: &Library,
    clip: &Clip,
    near: Frame,
    colour: bool,
) -> Result<(), TaskError> {
    let planes = library.clip(clip.id).planes();
    let (of_use, there) = match colour {
        true => (true, planes.colour()[2].has(near)),
        false => (clip.state() == ClipState::Ready, planes.has(near)),
    };
    if of_use && !there {
        let task = Task::Prepare(PrepareTask { clip: clip.id, colour });
        store.enqueue_once(task.into_job(clip.project_id)?).await?;
    }
    library.touch(clip.id);
    Ok(())
}
