//! What hangs in a shot and was brought in: pictures, and film clips, which are read along with it.

use std::collections::HashMap;
use std::path::PathBuf;
use std::sync::Arc;

use jampin_core::attachment::AttachmentKind;
use jampin_core::document::Shot;
use jampin_core::scene::Scene;
use jampin_core::time::Frame;
use jampin_media::{Cancel, ClipInfo, FrameReader, FrameTable, Layout, MediaError, RawFrame, Tools};
use jampin_render::{ClipFrames, ClipPicture, Pictures};
use jampin_store::{Store, StoreError};
use uuid::Uuid;

use crate::{Library, TaskError};

/// A clip so far ahead is read on to; further it is sought.
const READ_ON: u32 = 30;

/// What hangs in a shot and was brought in.
#[derive(Debug, Default)]
pub struct Footage {
    /// The bytes of its pictures.
    pub pictures: Pictures,
    /// Its film clips.
    pub clips: HashMap<Uuid, ClipFile>,
}

/// A film clip on the disk.
#[derive(Debug)]
pub struct ClipFile {
    path: PathBuf,
    info: ClipInfo,
    table: FrameTable,
}

impl Footage {
    /// Of a shot of this project. What is gone, or another project's, is left out; painting says so.
    pub async fn of(store: &Store, library: &Library, project: Uuid, shot: &Shot) -> Result<Self, TaskError> {
        let mut clips = HashMap::new();
        let attachments = shot.subjects.iter().flat_map(|subject| &subject.attachments);
        for attachment in attachments {
            let AttachmentKind::FilmClip(film) = &attachment.kind else { continue };
            let id = film.picture.picture;
            if clips.contains_key(&id) {
                continue;
            }
            let clip = match store.clip(id).await {
                Ok(clip) if clip.project_id == project => clip,
                Ok(_) | Err(StoreError::NotFound(_)) => continue,
                Err(error) => return Err(error.into()),
            };
            let (info, table) = (serde_json::from_value(clip.info)?, serde_json::from_value(clip.frames)?);
            let path = library.bring(library.clip(id).original()).await?;
            clips.insert(id, ClipFile { path, info, table });
        }
        Ok(Self { pictures: pictures_of(store, library, project, shot).await?, clips })
    }
}

/// The bytes of every picture of this project that hangs in a shot. One that is gone, or another project's, is left
/// out; painting says so.
pub async fn pictures_of(store: &Store, library: &Library, project: Uuid, shot: &Shot) -> Result<Pictures, TaskError> {
    let attachments = shot.subjects.iter().flat_map(|subject| &subject.attachments);
    let used = attachments.filter_map(|attachment| match &attachment.kind {
        AttachmentKind::Picture(picture) => Some(picture.picture),
        _ => None,
    });
    let own = store.pictures_among(project, &used.collect::<Vec<_>>()).await?;
    let mut pictures = Pictures::new();
    for id in own {
        if let Some(bytes) = library.read(&library.picture(id)).await? {
            pictures.insert(id, bytes);
        }
    }
    Ok(pictures)
}

/// Reads the clips of a scene, frame after frame of the shot.
pub(crate) struct ClipReaders<'a> {
    tools: &'a Tools,
    clips: &'a HashMap<Uuid, ClipFile>,
    scene: &'a Scene,
    cancel: &'a Cancel,
    /// By the scene's artwork: two that show the same clip may be at different places of it.
    open: HashMap<usize, Open>,
}

struct Open {
    reader: FrameReader,
    at: Frame,
    picture: Arc<ClipPicture>,
}

impl<'a> ClipReaders<'a> {
    pub fn new(tools: &'a Tools, footage: &'a Footage, scene: &'a Scene, cancel: &'a Cancel) -> Self {
        Self { tools, clips: &footage.clips, scene, cancel, open: HashMap::new() }
    }

    /// What a frame of the shot shows of them.
    pub fn frames(&mut self, number: Frame) -> Result<ClipFrames, MediaError> {
        let mut shown = ClipFrames::new();
        for (art, clip, frame) in self.scene.clips_on(number) {
            let file = self.clips.get(&clip).ok_or_else(|| {
                MediaError::BadInput("A film clip of this shot is not there any more; take it off its subject.".into())
            })?;
            shown.insert(art, self.picture(art, file, frame)?);
        }
        Ok(shown)
    }

    fn picture(&mut self, art: usize, file: &ClipFile, wanted: Frame) -> Result<Arc<ClipPicture>, MediaError> {
        let near = |open: &Open| open.at <= wanted && open.at.until(wanted) <= i64::from(READ_ON);
        let mut open = match self.open.remove(&art).filter(near) {
            Some(open) => open,
            None => self.begin(file, wanted)?,
        };
        while open.at < wanted {
            // A damaged end shows the last picture that there was.
            let Some(picture) = next(&mut open.reader, file)? else { break };
            open.picture = picture;
            open.at = Frame(open.at.0 + 1);
        }
        let picture = Arc::clone(&open.picture);
        self.open.insert(art, open);
        Ok(picture)
    }

    fn begin(&self, file: &ClipFile, at: Frame) -> Result<Open, MediaError> {
        let ClipFile { path, info, table } = file;
        let mut reader = FrameReader::laid_out(Layout::Rgba, self.tools, path, (info, table), at, self.cancel)?;
        let picture = next(&mut reader, file)?;
        let gone =
            || MediaError::BadInput(format!("Frame {at} of a film clip cannot be decoded; it is damaged there."));
        Ok(Open { reader, at, picture: picture.ok_or_else(gone)? })
    }
}

fn next(reader: &mut FrameReader, file: &ClipFile) -> Result<Option<Arc<ClipPicture>>, MediaError> {
    let size = file.info.size;
    let mut frame = RawFrame { size, data: Vec::new() };
    let there = reader.read(&mut frame)?;
    Ok(ClipPicture::new([size.width, size.height], frame.data).filter(|_| there).map(Arc::new))
}
