//! A shot as it was when its export began: all pieces are painted from it, whatever people do meanwhile.

use std::path::PathBuf;
use std::sync::Arc;

use jampin_core::document::Shot;
use jampin_core::time::{Frame, FrameRange};
use jampin_core::track::{Sample, Track};
use jampin_media::{ClipInfo, FrameTable, MediaError};
use jampin_store::StoredShot;
use serde::{Deserialize, Serialize};
use tokio::runtime::Handle;
use uuid::Uuid;

use crate::durable::{make_room_for, put_in_place};
use crate::{Library, TaskError, Worker};

/// All that is needed to paint any frame of a shot.
#[derive(Debug, Serialize, Deserialize)]
pub(crate) struct Snapshot {
    pub project: Uuid,
    pub clip: Uuid,
    pub name: String,
    pub range: FrameRange,
    pub info: ClipInfo,
    pub table: FrameTable,
    pub shot: Shot,
    /// The samples, which the shot does not carry when it is written.
    tracks: Vec<(Uuid, Vec<(Frame, Sample)>)>,
}

impl Snapshot {
    fn new(stored: StoredShot, info: ClipInfo, table: FrameTable) -> Self {
        let StoredShot { info: about, shot, .. } = stored;
        let samples = |track: &Track| track.iter().collect();
        let tracks = shot.tracks.iter().map(|(pin, track)| (*pin, samples(track))).collect();
        Self {
            project: about.project_id,
            clip: about.clip_id,
            name: about.name,
            range: about.range,
            info,
            table,
            shot,
            tracks,
        }
    }

    /// As the shot is now.
    pub fn of_now(worker: &Worker, runtime: &Handle, shot: Uuid) -> Result<Self, TaskError> {
        let stored = runtime.block_on(worker.store.shot(shot))?;
        let clip = runtime.block_on(worker.store.clip(stored.info.clip_id))?;
        Ok(Self::new(stored, serde_json::from_value(clip.info)?, serde_json::from_value(clip.frames)?))
    }

    /// Keeps it beside the pieces of an export, as one of the shots that are in it.
    pub async fn keep(&self, library: &Library, export: Uuid, take: u32) -> Result<(), TaskError> {
        let path = path_of(library, export, take);
        let draft = path.with_extension(format!("{}.part", Uuid::new_v4()));
        make_room_for(&path)?;
        std::fs::write(&draft, serde_json::to_vec(self)?).map_err(MediaError::io("keeping a shot to be written"))?;
        put_in_place(&draft, &path)?;
        Ok(library.keep(&path).await?)
    }

    /// As it was kept.
    pub async fn of(library: &Library, export: Uuid, take: u32) -> Result<Self, TaskError> {
        let opened = library.open(&path_of(library, export, take)).await?;
        let opened = opened.ok_or_else(|| TaskError::Missing("A shot of this film is not there any more.".into()))?;
        let mut kept: Self = serde_json::from_slice(&opened.all().await?)?;
        for (pin, samples) in std::mem::take(&mut kept.tracks) {
            kept.shot.tracks.insert(pin, Arc::new(samples.into_iter().collect()));
        }
        Ok(kept)
    }
}

fn path_of(library: &Library, export: Uuid, take: u32) -> PathBuf {
    library.pieces(export).join(format!("{take}.json"))
}

#[cfg(test)]
mod tests {
    use jampin_core::geometry::{Point, Size};
    use jampin_core::time::Rational;
    use jampin_media::Tools;

    use super::*;

    #[tokio::test]
    async fn a_snapshot_comes_back_as_it_was_with_its_samples() {
        let dir = tempfile::tempdir().unwrap();
        let library = Library::new(dir.path().to_owned(), Tools::default(), 0);
        let mut shot = Shot::default();
        let pin = Uuid::from_u128(5);
        for n in 0..40 {
            let at = Point::new(f64::from(n) / 7.0, 1.0 / 3.0);
            shot.track_mut(pin).set(Frame(n), Some(Sample::guide(at)));
        }
        let info = ClipInfo {
            size: Size::new(64, 48),
            rate: Rational { num: 25, den: 1 },
            stream: 0,
            codec: "h264".into(),
            pixel_format: "yuv420p".into(),
            bits: 8,
            quarter_turns: 0,
            interlaced: false,
            alpha: false,
            colour: Default::default(),
            audio: None,
            start_micros: 0,
            container: "mp4".into(),
            notes: vec![],
        };
        let table = FrameTable { time_base: Rational { num: 1, den: 25 }, times: (0..40).collect(), last_duration: 1 };
        let range = FrameRange { first: Frame(0), last: Frame(39) };
        let samples = shot.track(pin).iter().collect();
        let (project, clip, name) = (Uuid::from_u128(1), Uuid::from_u128(2), "Yard".to_owned());
        let kept =
            Snapshot { project, clip, name, range, info, table, shot: shot.clone(), tracks: vec![(pin, samples)] };
        let export = Uuid::from_u128(9);
        assert!(matches!(Snapshot::of(&library, export, 3).await, Err(TaskError::Missing(_))));
        kept.keep(&library, export, 3).await.unwrap();
        let back = Snapshot::of(&library, export, 3).await.unwrap();
        assert_eq!((back.shot, back.range, back.table), (shot, range, kept.table));
    }
}
