//! The finished film: frames decoded, painted on, encoded; three threads, so that the encoder never waits.

use std::path::Path;
use std::sync::mpsc::{Receiver, SyncSender, sync_channel};
use std::time::{Duration, Instant};

use jampin_core::scene::Scene;
use jampin_core::shot::{AttachmentKind, Shot};
use jampin_core::time::{Frame, FrameRange};
use jampin_media::{
    Cancel, ClipInfo, Container, EncodeJob, Encoder, FrameReader, FrameTable, MediaError, RawFrame, Tools,
};
use jampin_render::{Painter, Pictures, Typesetter, YuvFrame, YuvMatrix};
use jampin_store::Job;
use serde::{Deserialize, Serialize};
use serde_json::Value;
use tokio::runtime::Handle;
use uuid::Uuid;

use crate::{Library, TaskError, Worker};

/// Frames that may wait between two threads: more only takes memory.
const QUEUE: usize = 4;
/// How often progress is written down.
const REPORT: Duration = Duration::from_millis(400);

/// What is to be written.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct ExportTask {
    /// Which shot.
    pub shot: Uuid,
    /// Into what.
    pub container: Container,
}

/// How far it is.
#[derive(Clone, Copy, Debug, Serialize, Deserialize)]
pub struct ExportProgress {
    /// Frames written.
    pub frames: u32,
    /// Frames in all.
    pub of: u32,
    /// Seconds still to go, once that can be said.
    pub seconds_left: Option<f64>,
}

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

pub(crate) fn run(worker: &Worker, runtime: &Handle, job: &Job, cancel: &Cancel) -> Result<Value, TaskError> {
    let task: ExportTask = serde_json::from_value(job.payload.clone())?;
    let stored = runtime.block_on(worker.store.shot(task.shot))?;
    let clip = runtime.block_on(worker.store.clip(stored.info.clip_id))?;
    let info: ClipInfo = serde_json::from_value(clip.info)?;
    let table: FrameTable = serde_json::from_value(clip.frames)?;
    let out = worker.library.export(job.id, task.container.extension());
    let parent = out.parent().unwrap_or(Path::new("."));
    std::fs::create_dir_all(parent)
        .map_err(|source| MediaError::Io { context: "making room for films".into(), source })?;
    let (begun, mut reported) = (Instant::now(), Instant::now());
    let of = stored.info.range.count();
    let mut report = |frames: u32| {
        if reported.elapsed() > REPORT {
            reported = Instant::now();
            let seconds = begun.elapsed().as_secs_f64() / f64::from(frames.max(1)) * f64::from(of - frames.min(of));
            let progress = ExportProgress { frames, of, seconds_left: Some(seconds) };
            let value = serde_json::to_value(progress).unwrap_or_default();
            if let Err(error) = runtime.block_on(worker.store.job_progress(job.id, &value)) {
                tracing::warn!(%error, "progress could not be written down");
            }
        }
    };
    let path = worker.library.clip(stored.info.clip_id).original();
    let encode = EncodeJob {
        clip: &path,
        info: &info,
        table: &table,
        range: stored.info.range,
        container: task.container,
        out: &out,
    };
    let pictures = pictures_of(&worker.library, &stored.shot);
    let frames = export_film(&worker.library.tools, &encode, (&stored.shot, &pictures), cancel, &mut report)?;
    let bytes = out.metadata().map(|meta| meta.len()).unwrap_or(0);
    let file_name = format!("{}.{}", safe_name(&stored.info.name), task.container.extension());
    Ok(serde_json::to_value(ExportResult { file_name, bytes, frames })?)
}

/// The bytes of every picture that hangs in a shot. One that is gone is left out; painting says so.
fn pictures_of(library: &Library, shot: &Shot) -> Pictures {
    let attachments = shot.subjects.iter().flat_map(|subject| &subject.attachments);
    let used = attachments.filter_map(|attachment| match &attachment.kind {
        AttachmentKind::Picture(picture) => Some(picture.picture),
        _ => None,
    });
    used.filter_map(|id| Some((id, std::fs::read(library.picture(id)).ok()?))).collect()
}

/// Writes the film of a shot with its attachments; gives the number of frames. `report` is told how many are done.
pub fn export_film(
    tools: &Tools,
    job: &EncodeJob<'_>,
    (shot, pictures): (&Shot, &Pictures),
    cancel: &Cancel,
    report: &mut dyn FnMut(u32),
) -> Result<u32, TaskError> {
    let typesetter = Typesetter::default();
    let scene = Scene::new(shot, job.info.size, job.range, &typesetter);
    let painter = Painter::new(&typesetter, scene.artwork(), pictures, job.info.size)?;
    let reader = FrameReader::open(tools, job.clip, job.info, cancel.clone())?;
    let mut encoder = Encoder::start(tools, job, cancel.clone())?;
    let (decoded_in, decoded) = sync_channel(QUEUE);
    let (painted_in, painted) = sync_channel(QUEUE);
    let (emptied_in, emptied) = sync_channel(2 * QUEUE + 4);
    let matrix = YuvMatrix::named(job.info.matrix(), job.info.is_full_range());
    let written = std::thread::scope(|scope| {
        let decoder = scope.spawn(move || decode(reader, job.range, &decoded_in, &emptied));
        scope.spawn(|| paint(&scene, &painter, matrix, decoded, painted_in));
        let written = encode(&mut encoder, painted, &emptied_in, report);
        // Left to itself the decoder ends when nobody takes its frames.
        let decoded = decoder.join().unwrap_or_else(|_| Err(MediaError::Limit("the decoder thread broke down".into())));
        decoded.and(written)
    });
    match written {
        Ok(0) => {
            encoder.abandon();
            Err(TaskError::Missing("No frame of this shot could be decoded.".into()))
        }
        Ok(frames) => {
            encoder.finish()?;
            Ok(frames)
        }
        Err(error) => Err(encoder.abandon().unwrap_or(error).into()),
    }
}

type Numbered = (Frame, RawFrame);

fn decode(
    mut reader: FrameReader,
    range: FrameRange,
    out: &SyncSender<Numbered>,
    emptied: &Receiver<RawFrame>,
) -> Result<(), MediaError> {
    let blank = || RawFrame { size: jampin_core::geometry::Size::new(0, 0), data: Vec::new() };
    let mut number = Frame(0);
    let mut frame = blank();
    while number <= range.last && reader.read(&mut frame)? {
        if number >= range.first {
            if out.send((number, frame)).is_err() {
                // Nobody wants more: whoever stopped has the reason.
                return Ok(());
            }
            frame = emptied.try_recv().unwrap_or_else(|_| blank());
        }
        number = Frame(number.0 + 1);
    }
    Ok(())
}

fn paint(
    scene: &Scene<'_>,
    painter: &Painter,
    matrix: YuvMatrix,
    frames: Receiver<Numbered>,
    out: SyncSender<Numbered>,
) {
    for (number, mut frame) in frames {
        let layers = painter.layers(&scene.frame(number));
        if let Some(mut target) = YuvFrame::new(frame.size, &mut frame.data, matrix) {
            layers.iter().for_each(|layer| target.blend(layer));
        }
        if out.send((number, frame)).is_err() {
            return;
        }
    }
}

fn encode(
    encoder: &mut Encoder,
    frames: Receiver<Numbered>,
    emptied: &SyncSender<RawFrame>,
    report: &mut dyn FnMut(u32),
) -> Result<u32, MediaError> {
    let mut count = 0;
    for (number, frame) in frames {
        encoder.write(number, &frame)?;
        // A full pool is no matter: the frame's memory is then given back.
        let _ = emptied.try_send(frame);
        count += 1;
        report(count);
    }
    Ok(count)
}

/// A file name that every system takes.
fn safe_name(name: &str) -> String {
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
