//! What work on a pin needs at hand: the shot, the pin, and the planes of its clip.

use std::time::Duration;

use jampin_core::document::Area;
use jampin_core::image::Scene;
use jampin_core::pin::Pin;
use jampin_core::time::Frame;
use jampin_media::{Cancel, ClipFolder, ClipInfo, FrameTable, StoredPlanes, WhenMissing};
use jampin_store::{ClipState, StoredShot};
use tokio::runtime::Handle;
use uuid::Uuid;

use crate::planes::ask_for_planes;
use crate::{TaskError, Worker};

/// How long a frame that is not prepared yet is waited for.
const PATIENCE: Duration = Duration::from_secs(60);

pub(crate) struct Workplace {
    pub stored: StoredShot,
    pub pin: Pin,
    pub planes: StoredPlanes,
    /// First frame of every part of the clip but the first, as a person has it.
    pub cuts: Vec<Frame>,
    /// The film as a whole, for when it is needed.
    pub scene: ClipScene,
    /// Frames of a second.
    pub second: u32,
}

impl Workplace {
    /// Planes that were dropped to make room are asked for again; `near` is the frame that is looked at first.
    pub fn open(
        worker: &Worker,
        runtime: &Handle,
        (shot, pin): (Uuid, Uuid),
        near: Frame,
        cancel: &Cancel,
    ) -> Result<Self, TaskError> {
        let stored = runtime.block_on(worker.store.shot(shot))?;
        let (_, pin) = stored.shot.pin(pin).ok_or(TaskError::Cancelled)?;
        let pin = pin.clone();
        let clip = runtime.block_on(worker.store.clip(stored.info.clip_id))?;
        if clip.state() == ClipState::Failed {
            let why = clip.problem.unwrap_or_default();
            return Err(TaskError::Missing(format!("The film of this shot could not be prepared. {why}")));
        }
        let info: ClipInfo = serde_json::from_value(clip.info.clone())?;
        let folder = worker.library.clip(clip.id);
        let ask = |colour: bool| runtime.block_on(ask_for_planes(&worker.store, &worker.library, &clip, near, colour));
        ask(false)?;
        if pin.channel.needs_colour() {
            ask(true)?;
        }
        let cuts = stored.shot.cuts(clip.cuts.iter().map(|cut| Frame(*cut as u32)));
        let when_missing = WhenMissing { wait: PATIENCE, cancel: cancel.clone() };
        let planes = StoredPlanes::new(folder.planes(), info.size, when_missing);
        let table: FrameTable = serde_json::from_value(clip.frames)?;
        let scene = ClipScene { folder, frames: table.len() };
        let second = info.rate.as_f64().round() as u32;
        Ok(Self { stored, pin, planes, cuts, scene, second })
    }
}

impl Workplace {
    /// The area that the pin belongs to.
    pub fn area(&self) -> Option<&Area> {
        self.stored.shot.pin(self.pin.id).and_then(|(subject, pin)| subject.area_of(pin.id))
    }
}

/// What a clip does as a whole.
pub(crate) struct ClipScene {
    folder: ClipFolder,
    frames: u32,
}

impl ClipScene {
    /// As it was kept; looked at once more where it was not, which waits for a clip that is still being read.
    pub fn load(&self, planes: &StoredPlanes) -> Result<Scene, TaskError> {
        if let Some(scene) = self.folder.scene().filter(|scene| scene.len() >= self.frames as usize) {
            return Ok(scene);
        }
        let scene = planes.another().scene(self.frames)?;
        self.folder.keep_scene(&scene)?;
        Ok(scene)
    }
}
