//! Whole frames out of a film: one picture by number, or all of them in order.

use std::io::Read;
use std::path::Path;
use std::process::ChildStdout;
use std::sync::mpsc;
use std::time::Duration;

use jampin_core::geometry::Size;
use jampin_core::time::Frame;

use crate::child::{Watch, Watched, output};
use crate::showinfo::{is_complaint, shown_time};
use crate::tools::{Call, Tools};
use crate::{Cancel, ClipInfo, FrameTable, MediaError};

/// Quality of JPEG pictures, 2 (best) to 31: at 4 a 1280 wide picture has 56 to 78 KB and no visible blocks.
const JPEG_QUALITY: &str = "4";

/// Filter that gives frames evenly counted times. Uneven ones would collide when ffmpeg rounds them to its idea of a
/// rate, and frames would be lost; their true times are in the frame table.
pub(crate) const COUNTED: &str = "settb=1/25,setpts=N";
/// Output options that go with [`COUNTED`]: every frame once.
pub(crate) const EVERY_FRAME: [&str; 4] = ["-fps_mode", "passthrough", "-enc_time_base", "1:25"];

/// Output options of JPEG pictures. Fixed tables need no second look at each picture: a sixth faster for a few percent
/// of size. The samples are in full range already and said to be; a pixel format that implies it would make ffmpeg
/// convert them once more, depending on what the film says of itself.
pub(crate) const JPEG_OPTIONS: [&str; 8] =
    ["-q:v", JPEG_QUALITY, "-huffman", "default", "-color_range", "pc", "-strict", "unofficial"];

/// Filter chain that makes a picture for the browser of this size: full range and BT.601, as JPEG readers expect.
pub(crate) fn picture_filter(info: &ClipInfo, size: Size) -> String {
    let Size { width, height } = size;
    let matrix = info.matrix();
    let is_plain = matches!(info.pixel_format.as_str(), "yuv420p" | "yuv422p" | "yuv444p" | "yuv420p10le");
    let is_even = info.size.width.is_multiple_of(2) && info.size.height.is_multiple_of(2);
    let convert = if is_plain && is_even && !info.is_full_range() {
        // Twice as fast as letting the scaler change the matrix, but only for these formats and even sizes.
        let named = if matrix == "bt601" { "smpte170m" } else { matrix };
        format!("colorspace=iall={named}:all={named}:irange=tv:space=smpte170m:range=pc")
    } else {
        let range = if info.is_full_range() { "pc" } else { "tv" };
        format!("scale=in_color_matrix={matrix}:out_color_matrix=bt601:in_range={range}:out_range=pc")
    };
    let scale = if size == info.size { String::new() } else { format!("scale={width}:{height}:flags=bicubic,") };
    format!("{scale}{convert},format=yuv420p,setrange=pc")
}

/// One frame as a JPEG of the full size.
///
/// Decodes from the keyframe before it, so it takes longer the further that is away.
pub fn picture(
    tools: &Tools,
    path: &Path,
    info: &ClipInfo,
    table: &FrameTable,
    frame: Frame,
) -> Result<Vec<u8>, MediaError> {
    let mut command = single(tools, path, (info, table), frame)?;
    command.args(["-vf", &picture_filter(info, info.size)]).args(JPEG_OPTIONS).args(["-f", "mjpeg", "pipe:1"]);
    single_output(tools, command, frame)
}

/// One frame as a PNG of the full size, with its own transparency.
pub fn picture_with_alpha(
    tools: &Tools,
    path: &Path,
    info: &ClipInfo,
    table: &FrameTable,
    frame: Frame,
) -> Result<Vec<u8>, MediaError> {
    let mut command = single(tools, path, (info, table), frame)?;
    command.args([
        "-vf",
        &Layout::Rgba.filter(info),
        "-c:v",
        "png",
        "-compression_level",
        "1",
        "-f",
        "image2pipe",
        "pipe:1",
    ]);
    single_output(tools, command, frame)
}

/// One frame as [`FrameReader`] gives it.
pub fn raw_frame(
    tools: &Tools,
    path: &Path,
    info: &ClipInfo,
    table: &FrameTable,
    frame: Frame,
) -> Result<RawFrame, MediaError> {
    let mut command = single(tools, path, (info, table), frame)?;
    command.args(["-vf", &Layout::Yuv.filter(info), "-f", "rawvideo", "pipe:1"]);
    let data = single_output(tools, command, frame)?;
    if data.len() != RawFrame::bytes(info.size) {
        return Err(MediaError::BadInput(format!("Frame {frame} is not as large as the film says.")));
    }
    Ok(RawFrame { size: info.size, data })
}

/// A decoder of a single frame.
fn single(
    tools: &Tools,
    path: &Path,
    (info, table): (&ClipInfo, &FrameTable),
    frame: Frame,
) -> Result<Call, MediaError> {
    if frame.0 >= table.len() {
        return Err(MediaError::BadInput(format!("There is no frame {frame} in this film.")));
    }
    let mut command = tools.ffmpeg();
    command.args(["-loglevel", "error"]).args(seek(info, table, frame));
    command.film(path);
    command.args(["-map", &format!("0:{}", info.stream), "-frames:v", "1"]);
    Ok(command)
}

/// Input options that make ffmpeg begin with a frame: it decodes from the keyframe before.
pub(crate) fn seek(info: &ClipInfo, table: &FrameTable, frame: Frame) -> Vec<String> {
    let times = frame.step(-1).and_then(|before| Some((table.micros(before)?, table.micros(frame)?)));
    let Some((before, start)) = times else { return Vec::new() };
    // Half way from the frame before: right whatever is rounded. Counted from the start of the file.
    let seek = (start + before) / 2 + table.first_micros() - info.start_micros;
    vec!["-ss".into(), format!("{}us", seek.max(0))]
}

fn single_output(tools: &Tools, command: Call, frame: Frame) -> Result<Vec<u8>, MediaError> {
    let (bytes, _) = output(command, tools.limits.quiet, 256 << 20)?;
    if bytes.is_empty() {
        return Err(MediaError::BadInput(format!("Frame {frame} cannot be decoded; the film is damaged there.")));
    }
    Ok(bytes)
}

/// How the pixels of a frame lie in memory.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Layout {
    /// As [`RawFrame`] says.
    Yuv,
    /// Red, green, blue and how much is there, 8 bits each, pixel by pixel.
    Rgba,
}

impl Layout {
    fn filter(self, info: &ClipInfo) -> String {
        let Size { width, height } = info.size;
        match self {
            Self::Yuv => format!("scale={width}:{height},format=yuv420p"),
            Self::Rgba if info.pixel_format.starts_with("yuv") => {
                let range = if info.is_full_range() { "pc" } else { "tv" };
                format!("scale={width}:{height}:in_color_matrix={}:in_range={range},format=rgba", info.matrix())
            }
            Self::Rgba => format!("scale={width}:{height},format=rgba"),
        }
    }

    fn bytes(self, size: Size) -> usize {
        match self {
            Self::Yuv => RawFrame::bytes(size),
            Self::Rgba => 4 * size.area(),
        }
    }
}

/// A frame as planar YUV 4:2:0, 8 bits, no padding: `width * height` of luma, then both chroma planes of half the
/// width and height, rounded up.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct RawFrame {
    /// Size of the luma plane.
    pub size: Size,
    /// The three planes, one after the other.
    pub data: Vec<u8>,
}

impl RawFrame {
    /// Bytes of a frame of this size.
    pub fn bytes(size: Size) -> usize {
        size.area() + 2 * Self::chroma_size(size).area()
    }

    /// Size of each chroma plane.
    pub fn chroma_size(size: Size) -> Size {
        Size::new(size.width.div_ceil(2), size.height.div_ceil(2))
    }
}

/// How long the first frame that was sought may be without its time: it is said before the frame is given.
const TIME_PATIENCE: Duration = Duration::from_secs(10);

/// All frames of a film, in order, from one on.
pub struct FrameReader {
    watched: Option<Watched>,
    stdout: ChildStdout,
    size: Size,
    layout: Layout,
    /// Read already, to see whether it is the right one.
    ahead: Option<RawFrame>,
}

impl FrameReader {
    /// Starts to decode at the film's first frame.
    pub fn open(tools: &Tools, path: &Path, info: &ClipInfo, cancel: Cancel) -> Result<Self, MediaError> {
        Self::from_the_start(Layout::Yuv, tools, path, info, cancel)
    }

    fn from_the_start(
        layout: Layout,
        tools: &Tools,
        path: &Path,
        info: &ClipInfo,
        cancel: Cancel,
    ) -> Result<Self, MediaError> {
        let mut command = tools.ffmpeg();
        command.args(["-loglevel", "error"]);
        command.film(path);
        command.args(["-map", &format!("0:{}", info.stream)]).args(EVERY_FRAME);
        command.args(["-vf", &format!("{COUNTED},{}", layout.filter(info))]);
        Self::start((tools, command), layout, info, cancel, |_| true)
    }

    /// Starts at `first`: decodes from the keyframe before it. Where another frame comes, as it does in containers
    /// without an index, from the beginning.
    pub fn starting_at(
        tools: &Tools,
        path: &Path,
        (info, table): (&ClipInfo, &FrameTable),
        first: Frame,
        cancel: &Cancel,
    ) -> Result<Self, MediaError> {
        Self::laid_out(Layout::Yuv, tools, path, (info, table), first, cancel)
    }

    /// The same with pixels in this layout.
    pub fn laid_out(
        layout: Layout,
        tools: &Tools,
        path: &Path,
        (info, table): (&ClipInfo, &FrameTable),
        first: Frame,
        cancel: &Cancel,
    ) -> Result<Self, MediaError> {
        if first == Frame(0) {
            return Self::from_the_start(layout, tools, path, info, cancel.clone());
        }
        if let Some(found) = Self::sought(layout, tools, path, (info, table), first, cancel)? {
            return Ok(found);
        }
        let mut reader = Self::from_the_start(layout, tools, path, info, cancel.clone())?;
        let mut frame = RawFrame { size: info.size, data: Vec::new() };
        for _ in 0..first.0 {
            if !reader.read(&mut frame)? {
                break;
            }
        }
        Ok(reader)
    }

    /// `None` where another frame came.
    fn sought(
        layout: Layout,
        tools: &Tools,
        path: &Path,
        (info, table): (&ClipInfo, &FrameTable),
        first: Frame,
        cancel: &Cancel,
    ) -> Result<Option<Self>, MediaError> {
        let mut command = tools.ffmpeg();
        command.args(["-loglevel", "info", "-nostats", "-copyts"]).args(seek(info, table, first));
        command.film(path);
        command.args(["-map", &format!("0:{}", info.stream)]).args(EVERY_FRAME);
        command.args(["-vf", &format!("showinfo=checksum=0,{COUNTED},{}", layout.filter(info))]);
        let (said, times) = mpsc::channel();
        let keep = move |line: &str| match shown_time(line) {
            // Only the first is waited for.
            Some(time) => {
                let _ = said.send(time);
                false
            }
            None => is_complaint(line),
        };
        let mut reader = Self::start((tools, command), layout, info, cancel.clone(), keep)?;
        let mut frame = RawFrame { size: info.size, data: Vec::new() };
        if !reader.read(&mut frame)? {
            return Ok(None);
        }
        let time = times.recv_timeout(TIME_PATIENCE).ok().flatten();
        reader.ahead = Some(frame);
        Ok((time.is_some() && time == table.times.get(first.0 as usize).copied()).then_some(reader))
    }

    fn start(
        (tools, mut command): (&Tools, Call),
        layout: Layout,
        info: &ClipInfo,
        cancel: Cancel,
        line: impl FnMut(&str) -> bool + Send + 'static,
    ) -> Result<Self, MediaError> {
        command.args(["-f", "rawvideo", "pipe:1"]);
        let watch = Watch { quiet: tools.limits.quiet, cancel };
        let (watched, pipes) = Watched::start(command, watch, line)?;
        let stdout = pipes.stdout.expect("standard output is piped");
        Ok(Self { watched: Some(watched), stdout, size: info.size, layout, ahead: None })
    }

    /// The next frame into `frame`; `false` at the end of the film.
    pub fn read(&mut self, frame: &mut RawFrame) -> Result<bool, MediaError> {
        if let Some(ahead) = self.ahead.take() {
            *frame = ahead;
            return Ok(true);
        }
        frame.size = self.size;
        frame.data.resize(self.layout.bytes(self.size), 0);
        match self.stdout.read_exact(&mut frame.data) {
            Ok(()) => {
                if let Some(watched) = &self.watched {
                    watched.progress();
                }
                Ok(true)
            }
            Err(error) if error.kind() == std::io::ErrorKind::UnexpectedEof => {
                // A damaged end is not an error here: what could be decoded was.
                self.watched.take().map_or(Ok(false), |watched| watched.wait().map(|_| false))
            }
            Err(error) => Err(MediaError::Io { context: "reading frames".into(), source: error }),
        }
    }
}
