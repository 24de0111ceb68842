//! One pass over a new clip: small copies for watching, planes for computing, cuts, and the frame table made sure of.

use std::fs;
use std::io::Read;
use std::path::{Path, PathBuf};
use std::process::ChildStdout;
use std::sync::{Arc, Mutex, mpsc};

use jampin_core::geometry::Size;
use jampin_core::image::{CutFinder, Plane, Scene, SceneFinder};
use jampin_core::time::{Frame, FrameRange};

use crate::child::{Watch, Watched, output};
use crate::decode::{COUNTED, EVERY_FRAME, JPEG_OPTIONS, picture_filter, seek};
use crate::planes::bytes_below;
use crate::sampling::Sampling;
use crate::showinfo::{is_complaint, shown_time};
use crate::tools::{Call, Tools};
use crate::{Cancel, ClipInfo, FrameTable, MediaError, PlaneFolder};

/// Frames that are decoded and not yet looked at, at most: enough to even out how long they take, and no more memory
/// than that.
const FRAMES_AHEAD: usize = 3;
/// Widest small copy, in pixels: what the bench shows at 1280x800 without zoom.
const PREVIEW_WIDTH: u32 = 1280;

/// Where the files of one clip are.
#[derive(Clone, Debug)]
pub struct ClipFolder(PathBuf);

impl ClipFolder {
    /// The folder at this path; it need not exist yet.
    pub fn new(path: PathBuf) -> Self {
        Self(path)
    }

    /// The folder itself.
    pub fn path(&self) -> &Path {
        &self.0
    }

    /// The film as it came in.
    pub fn original(&self) -> PathBuf {
        self.0.join("original")
    }

    /// The small copy of a frame, a JPEG.
    pub fn preview(&self, frame: Frame) -> PathBuf {
        self.previews().join(picture_name(frame))
    }

    /// The full-size picture of a frame, a JPEG, made when asked for.
    pub fn full_picture(&self, frame: Frame) -> PathBuf {
        self.0.join("full").join(format!("{:06}.jpg", frame.0))
    }

    /// What does not come back by itself when it is gone, unlike planes and full-size pictures: files, and a folder of
    /// them.
    pub fn lasting(&self) -> [PathBuf; 3] {
        [self.original(), self.scene_file(), self.previews()]
    }

    /// Full-size luma planes.
    pub fn planes(&self) -> PlaneFolder {
        PlaneFolder::new(self.0.join("planes"))
    }

    /// Whether red, green and blue of a film of so many frames are there.
    pub fn has_colour(&self, frames: u32) -> bool {
        let last = Frame(frames.saturating_sub(1));
        self.planes().colour().iter().all(|folder| folder.has(last))
    }

    /// Bytes that all takes.
    pub fn bytes(&self) -> u64 {
        bytes_below(&self.0)
    }

    /// Bytes that the planes take.
    pub fn plane_bytes(&self) -> u64 {
        bytes_below(&self.0.join("planes"))
    }

    /// What the film does as a whole, as preparing has found it.
    pub fn scene(&self) -> Option<Scene> {
        Scene::from_bytes(&fs::read(self.scene_file()).ok()?)
    }

    /// Keeps it; the file appears whole or not at all.
    pub fn keep_scene(&self, scene: &Scene) -> Result<(), MediaError> {
        let unfinished = self.scene_file().with_extension("part");
        fs::write(&unfinished, scene.to_bytes()).map_err(MediaError::io("keeping the scene"))?;
        fs::rename(&unfinished, self.scene_file()).map_err(MediaError::io("keeping the scene"))
    }

    fn scene_file(&self) -> PathBuf {
        self.0.join("scene.bin")
    }

    fn previews(&self) -> PathBuf {
        self.0.join("previews")
    }
}

/// What a pass over a clip leaves behind, beside cuts and frame times.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Leave {
    /// Small copies for watching, and planes.
    PicturesAndPlanes,
    /// Only planes: nobody is going to watch.
    Planes,
    /// Only the planes of these frames, decoded from the keyframe before them.
    PlanesOf(FrameRange),
}

impl Leave {
    /// The first frame that is read.
    fn first(self) -> Frame {
        if let Self::PlanesOf(range) = self { range.first } else { Frame(0) }
    }

    /// How many frames are read of a film of so many.
    fn count(self, whole: u32) -> u32 {
        if let Self::PlanesOf(range) = self { range.count() } else { whole }
    }
}

/// What is kept of a frame.
struct DecodedFrame {
    luma: Plane,
    /// Blue above red difference.
    chroma: Option<Plane>,
}

/// How far preparing has come.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Progress {
    /// Frames done.
    pub frames: u32,
    /// Frames expected.
    pub of: u32,
}

/// What a pass over a clip has found.
#[derive(Clone, Debug, PartialEq)]
pub struct Prepared {
    /// When each frame is shown, as decoded.
    pub table: FrameTable,
    /// The frames that were read.
    pub range: FrameRange,
    /// First frame of every shot but the first.
    pub cuts: Vec<Frame>,
    /// How far the picture as a whole moved since the frame before, in pixels.
    pub speeds: Vec<f32>,
    /// The film as a whole, also kept in the clip's folder; or as much of it as was read.
    pub scene: Scene,
    /// What a person should know, for example that some frames could not be decoded.
    pub remarks: Vec<String>,
}

fn picture_name(frame: Frame) -> String {
    format!("{:06}.jpg", frame.0)
}

fn preview_size(size: Size) -> Size {
    if size.width <= PREVIEW_WIDTH {
        return size;
    }
    let height = u64::from(size.height) * u64::from(PREVIEW_WIDTH) / u64::from(size.width);
    Size::new(PREVIEW_WIDTH, (height as u32).max(1))
}

/// Makes the small copy of frame 0, so that there is something to look at while the rest is read.
pub fn first_picture(tools: &Tools, folder: &ClipFolder, info: &ClipInfo) -> Result<(), MediaError> {
    fs::create_dir_all(folder.previews()).map_err(MediaError::io("making room for pictures"))?;
    let mut command = tools.ffmpeg();
    command.args(["-loglevel", "error"]);
    command.film(&folder.original());
    command.args(["-map", &format!("0:{}", info.stream), "-frames:v", "1"]);
    command.args(["-vf", &picture_filter(info, preview_size(info.size))]).args(JPEG_OPTIONS);
    command.args(["-f", "image2", "-atomic_writing", "1"]).writes_pictures(&folder.previews(), &picture_name(Frame(0)));
    match output(command, tools.limits.quiet, 1 << 20) {
        Err(MediaError::Tool { tail, .. }) => Err(undecodable(&tail)),
        Err(error) => Err(error),
        Ok(_) if !folder.preview(Frame(0)).exists() => Err(undecodable("")),
        Ok(_) => Ok(()),
    }
}

/// What ffmpeg says of it is for the log: a person can do nothing with it.
fn undecodable(said: &str) -> MediaError {
    tracing::info!(said, "no frame can be decoded");
    let why = "No frame of this film can be decoded: it is damaged or cut off. Copy it again from where it was made.";
    MediaError::BadInput(why.into())
}

/// Decodes the whole clip once, or the part of it that is wanted; the whole where a part cannot be found again by its
/// times. `progress` is called after each frame whose picture and plane are there.
pub fn prepare(
    tools: &Tools,
    folder: &ClipFolder,
    (info, table): (&ClipInfo, &FrameTable),
    leave: Leave,
    cancel: &Cancel,
    progress: &mut dyn FnMut(Progress),
) -> Result<Prepared, MediaError> {
    fs::create_dir_all(folder.previews()).map_err(MediaError::io("making room for pictures"))?;
    let times = Arc::new(Mutex::new(Vec::new()));
    let seen = Arc::clone(&times);
    let watch = Watch { quiet: tools.limits.quiet, cancel: cancel.clone() };
    let keep_line = move |line: &str| match shown_time(line) {
        Some(time) => {
            seen.lock().unwrap_or_else(std::sync::PoisonError::into_inner).push(time);
            false
        }
        None => is_complaint(line),
    };
    let (watched, pipes) = Watched::start(prepare_command(tools, folder, (info, table), leave), watch, keep_line)?;
    let mut stdout = pipes.stdout.expect("standard output is piped");
    let (first, expected) = (leave.first(), leave.count(table.len()));
    let mut kept = |frames: u32| {
        watched.progress();
        progress(Progress { frames, of: expected.max(frames) });
    };
    let Seen { count, cuts, scene } = keep_frames(&mut stdout, info, &folder.planes(), first, &mut kept)?;
    let (status, complaints) = watched.wait()?;
    tracing::debug!(%status, count, expected, "decoded");
    // What is damaged in a film is complained of, and the end reached all the same; a bad end is something else: the
    // disk, the memory.
    if !status.success() && count > 0 && count < expected {
        return Err(MediaError::Tool { program: "ffmpeg".into(), status: status.to_string(), tail: complaints });
    }
    let decoded = times.lock().unwrap_or_else(std::sync::PoisonError::into_inner).clone();
    if let Leave::PlanesOf(range) = leave {
        let probed = table.times.get(range.first.0 as usize..=range.last.0 as usize);
        let are_they = |probed: &[i64]| decoded.iter().take(probed.len()).flatten().eq(probed);
        if count != expected || !probed.is_some_and(are_they) {
            return prepare(tools, folder, (info, table), Leave::Planes, cancel, progress);
        }
    }
    if count == 0 {
        return Err(undecodable(&complaints));
    }
    let (table, remarks) = match leave {
        Leave::PlanesOf(_) => (table.clone(), Vec::new()),
        _ => settle_table(table, &decoded, count, &complaints),
    };
    let speeds = scene.speeds().to_vec();
    let scene = scene.finish();
    // A part is not what the film as a whole is like: it would be taken for that by whoever comes next.
    if !matches!(leave, Leave::PlanesOf(_)) {
        folder.keep_scene(&scene)?;
    }
    let range = FrameRange { first, last: Frame(first.0 + count - 1) };
    Ok(Prepared { table, range, cuts: cuts.cuts().to_vec(), speeds, scene, remarks })
}

/// What was seen while the frames went by.
struct Seen {
    count: u32,
    cuts: CutFinder,
    scene: SceneFinder,
}

/// Writes the planes of every frame that comes, and looks at the film as a whole meanwhile: both take about as long, so
/// each has a thread.
/// `kept` is told how many there are after each.
fn keep_frames(
    stdout: &mut ChildStdout,
    info: &ClipInfo,
    planes: &PlaneFolder,
    first: Frame,
    kept: &mut dyn FnMut(u32),
) -> Result<Seen, MediaError> {
    planes.create()?;
    let chroma_planes = planes.chroma();
    if Sampling::of(info).is_some() {
        chroma_planes.create()?;
    }
    let mut seen = Seen { count: 0, cuts: CutFinder::starting_at(first), scene: SceneFinder::starting_at(first) };
    let Seen { count, cuts, scene } = &mut seen;
    std::thread::scope(|scope| -> Result<(), MediaError> {
        let (frames, looked_at) = mpsc::sync_channel::<Arc<DecodedFrame>>(FRAMES_AHEAD);
        scope.spawn(move || {
            for frame in looked_at {
                frame.chroma.iter().for_each(|chroma| scene.push_chroma(chroma));
                cuts.push(&frame.luma);
                scene.push(&frame.luma);
            }
        });
        while let Some(frame) = next_frame(stdout, info)?.map(Arc::new) {
            // It ends only when this ends, or by a panic that the scope hands on.
            let _ = frames.send(Arc::clone(&frame));
            let number = Frame(first.0 + *count);
            frame.chroma.iter().try_for_each(|chroma| chroma_planes.write(number, chroma))?;
            planes.write(number, &frame.luma)?;
            *count += 1;
            kept(*count);
        }
        Ok(())
    })?;
    Ok(seen)
}

fn prepare_command(tools: &Tools, folder: &ClipFolder, (info, table): (&ClipInfo, &FrameTable), leave: Leave) -> Call {
    let Size { width, height } = info.size;
    let planes = format!("scale={width}:{height},{}", planes_filter(Sampling::of(info)));
    let first = format!("[0:{}]showinfo=checksum=0,{COUNTED}", info.stream);
    let filter = match leave {
        Leave::Planes | Leave::PlanesOf(_) => format!("{first},{planes}"),
        Leave::PicturesAndPlanes => {
            let pictures = picture_filter(info, preview_size(info.size));
            format!("{first},split=2[a][b];[a]{pictures}[pictures];[b]{planes}")
        }
    };
    let mut command = tools.ffmpeg();
    command.args(["-loglevel", "info", "-nostats"]);
    if let Leave::PlanesOf(range) = leave {
        // Times as they are in the film: by them the frames are known.
        command.arg("-copyts").args(seek(info, table, range.first));
    }
    command.film(&folder.original());
    command.args(["-filter_complex", &filter, "-map", "[planes]"]).args(EVERY_FRAME);
    if let Leave::PlanesOf(range) = leave {
        command.args(["-frames:v", &range.count().to_string()]);
    }
    command.args(["-f", "rawvideo", "pipe:1"]);
    if leave == Leave::PicturesAndPlanes {
        command.args(["-map", "[pictures]"]).args(EVERY_FRAME).args(JPEG_OPTIONS);
        command.args(["-f", "image2", "-atomic_writing", "1", "-start_number", "0"]);
        command.writes_pictures(&folder.previews(), "%06d.jpg");
    }
    command
}

/// Luma as the stream carries it; with the colour differences as they are stored, where there are any.
fn planes_filter(sampling: Option<Sampling>) -> String {
    match sampling {
        Some(sampling) => format!("format=pix_fmts={}[planes]", sampling.formats),
        None => {
            let formats = "yuv420p|yuv422p|yuv444p|yuvj420p|yuvj422p|yuvj444p|gray";
            format!("format=pix_fmts={formats},extractplanes=y[planes]")
        }
    }
}

/// The next frame; `None` at the end of the film.
fn next_frame(stdout: &mut ChildStdout, info: &ClipInfo) -> Result<Option<DecodedFrame>, MediaError> {
    let Some(luma) = next_plane(stdout, info.size)? else { return Ok(None) };
    let Some(sampling) = Sampling::of(info) else { return Ok(Some(DecodedFrame { luma, chroma: None })) };
    let size = sampling.size(info.size);
    let (Some(blue), Some(red)) = (next_plane(stdout, size)?, next_plane(stdout, size)?) else { return Ok(None) };
    let chroma = sampling.kept(info.size, &blue, &red);
    Ok(Some(DecodedFrame { luma, chroma: Some(chroma) }))
}

fn next_plane(stdout: &mut ChildStdout, size: Size) -> Result<Option<Plane>, MediaError> {
    let mut data = vec![0; size.area()];
    match stdout.read_exact(&mut data) {
        Ok(()) => Ok(Plane::new(size, data)),
        Err(error) if error.kind() == std::io::ErrorKind::UnexpectedEof => Ok(None),
        Err(error) => Err(MediaError::Io { context: "reading planes".into(), source: error }),
    }
}

/// The table to go by: the probe's when it has as many frames as were decoded, else the decoder's times.
fn settle_table(
    probed: &FrameTable,
    decoded: &[Option<i64>],
    count: u32,
    complaints: &str,
) -> (FrameTable, Vec<String>) {
    if probed.len() == count {
        return (probed.clone(), Vec::new());
    }
    let known: Vec<i64> = decoded.iter().copied().flatten().take(count as usize).collect();
    let rising = known.len() == count as usize && known.windows(2).all(|pair| pair[0] < pair[1]);
    let step = probed.last_duration.max(1);
    let first = probed.times.first().copied().unwrap_or(0);
    let times = match () {
        () if rising => known,
        () if probed.len() > count => probed.times[..count as usize].to_vec(),
        () => (0..i64::from(count)).map(|n| first + n * step).collect(),
    };
    let mut remarks = Vec::new();
    if count < probed.len() {
        let damaged = if complaints.is_empty() { "" } else { " The film is damaged or cut off." };
        remarks.push(format!("Only {count} of {} frames could be decoded.{damaged}", probed.len()));
    }
    (FrameTable { times, ..probed.clone() }, remarks)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn small_copies_keep_the_shape() {
        assert_eq!(preview_size(Size::new(3840, 2160)), Size::new(1280, 720));
        assert_eq!(preview_size(Size::new(853, 481)), Size::new(853, 481));
    }
}
