//! Frames decoded, painted on by as many threads as there are, and written in their order.

use std::collections::BTreeMap;
use std::path::Path;
use std::sync::mpsc::{Receiver, Sender, channel};
use std::sync::{Arc, Mutex, PoisonError};
use std::time::Duration;

use jampin_core::scene::Scene;
use jampin_core::time::{Frame, FrameRange};
use jampin_media::{
    Cancel, ClipInfo, EncodeJob, Encoder, FrameReader, FrameTable, MediaError, NumberedPictures, RawFrame, Tools,
    raw_frame,
};
use jampin_render::{Behind, ClipFrames, FilmPicture, Graphics, Painter, Typesetter, YuvFrame, YuvMatrix};

use crate::footage::{ClipReaders, Footage};
use crate::{Pictured, Product, TaskError};

/// Frames on their way for each thread that paints: fewer make it wait for the others, more only take memory.
const FRAMES_EACH: usize = 4;

/// How long somebody waits for one frame.
const STILL_PATIENCE: Duration = Duration::from_secs(20);

/// A shot that is to be painted into a file.
#[derive(Clone, Copy, Debug)]
pub struct Painting<'a> {
    /// The clip that the frames, the sound and the times come from.
    pub clip: &'a Path,
    /// What is known of it.
    pub info: &'a ClipInfo,
    /// Its frame times.
    pub table: &'a FrameTable,
    /// Which of its frames.
    pub range: FrameRange,
    /// What hangs in it.
    pub scene: &'a Scene,
    /// What its artwork is made with: artwork that it made for the scene is not made again.
    pub typesetter: &'a Typesetter,
    /// What was brought in and hangs in it.
    pub footage: &'a Footage,
    /// What kind of file.
    pub product: Product,
    /// What numbered pictures are called.
    pub name: &'a str,
    /// Only a piece of a film that begins with this frame ([`jampin_media::EncodeJob`]).
    pub piece_of: Option<Frame>,
    /// Where to. It appears whole or not at all.
    pub out: &'a Path,
}

/// Writes a shot with its attachments; gives the number of frames. `report` is told how many are done.
pub fn paint_film(
    tools: &Tools,
    painting: &Painting<'_>,
    cancel: &Cancel,
    report: &mut dyn FnMut(u32),
) -> Result<u32, TaskError> {
    let scene = painting.scene;
    let painter = Painter::new(painting.typesetter, scene.artwork(), &painting.footage.pictures, painting.info.size)?;
    let matrix = YuvMatrix::named(painting.info.matrix(), painting.info.is_full_range());
    let brush = Brush { scene, painter: &painter, matrix, product: painting.product, cancel };
    let source = if painting.product.is_graphics() && !scene.needs_picture() {
        Source::Blank
    } else {
        let Painting { clip, info, table, range, .. } = *painting;
        Source::Film(FrameReader::starting_at(tools, clip, (info, table), range.first, cancel)?)
    };
    let mut clips = ClipReaders::new(tools, painting.footage, scene, cancel);
    let mut sink = Sink::open(tools, painting, cancel)?;
    let painters = std::thread::available_parallelism().map_or(1, usize::from);
    let (decoded_in, decoded) = channel();
    let (painted_in, painted) = channel();
    let (emptied_in, emptied) = channel();
    let (size, range) = (painting.info.size, painting.range);
    // There are no more frames than these, so no queue can grow.
    for _ in 0..FRAMES_EACH * (painters + 1) {
        let _ = emptied_in.send(RawFrame { size, data: Vec::new() });
    }
    // It ends with the last painter, and then the decoder.
    let decoded = Arc::new(Mutex::new(decoded));
    let written = std::thread::scope(|scope| {
        let decoder = scope.spawn(move || source.run(range, &mut clips, &decoded_in, &emptied));
        for (painted_in, decoded) in std::iter::repeat_n((painted_in, decoded), painters) {
            let brush = &brush;
            scope.spawn(move || brush.run(&decoded, &painted_in));
        }
        let written = write(&mut sink, range.first, painted, emptied_in, (cancel, report));
        // Left to itself the decoder ends when nobody takes its frames.
        let decoded = decoder.join().unwrap_or_else(|_| Err(MediaError::Limit("the decoder thread broke down".into())));
        decoded.and(written)
    });
    match written {
        Ok(0) => {
            sink.abandon();
            Err(TaskError::Missing("No frame of this shot could be decoded.".into()))
        }
        Ok(frames) => {
            sink.finish()?;
            Ok(frames)
        }
        Err(error) => Err(sink.abandon().unwrap_or(error).into()),
    }
}

/// One frame of a shot with its attachments as PNG; of the graphics alone with transparency, where the product has them
/// alone.
pub fn paint_still(tools: &Tools, painting: &Painting<'_>, number: Frame) -> Result<Vec<u8>, TaskError> {
    let Painting { clip, info, table, .. } = *painting;
    let scene = painting.scene;
    let painter = Painter::new(painting.typesetter, scene.artwork(), &painting.footage.pictures, info.size)?;
    let matrix = YuvMatrix::named(info.matrix(), info.is_full_range());
    let patience = Cancel::after(STILL_PATIENCE);
    let brush = Brush { scene, painter: &painter, matrix, product: painting.product, cancel: &patience };
    let mut frame = raw_frame(tools, clip, info, table, number)?;
    let clips = ClipReaders::new(tools, painting.footage, scene, &patience).frames(number)?;
    let too_long = TaskError::Missing("This frame takes too long to paint. Export the shot instead.".into());
    if painting.product.is_graphics() {
        return brush.graphics_of(number, &frame, &clips).map(|graphics| graphics.png()).ok_or(too_long);
    }
    brush.paint(number, &mut frame, &clips).ok_or(too_long)?;
    let film = FilmPicture::new(frame.size, &frame.data, matrix);
    Ok(film.map(|film| film.png()).unwrap_or_default())
}

/// A frame of the shot, and what it shows of film clips.
type Decoded = (Frame, RawFrame, ClipFrames);
type Numbered = (Frame, RawFrame);

/// Where the frames come from.
enum Source {
    Film(FrameReader),
    /// Graphics alone need no film, unless they change or hide parts of it.
    Blank,
}

impl Source {
    /// Fills frames that are written, and so free again.
    fn run(
        mut self,
        range: FrameRange,
        clips: &mut ClipReaders<'_>,
        out: &Sender<Decoded>,
        emptied: &Receiver<RawFrame>,
    ) -> Result<(), MediaError> {
        for number in range.frames() {
            // When nobody wants more, whoever stopped has the reason.
            let Ok(mut frame) = emptied.recv() else { break };
            let is_there = match &mut self {
                Self::Blank => true,
                Self::Film(reader) => reader.read(&mut frame)?,
            };
            if !is_there || out.send((number, frame, clips.frames(number)?)).is_err() {
                break;
            }
        }
        Ok(())
    }
}

/// Paints frame after frame.
struct Brush<'a> {
    scene: &'a Scene,
    painter: &'a Painter,
    matrix: YuvMatrix,
    product: Product,
    /// Asked for after each thing that is painted: a frame may have hundreds.
    cancel: &'a Cancel,
}

impl Brush<'_> {
    fn run(&self, frames: &Mutex<Receiver<Decoded>>, out: &Sender<Numbered>) {
        // Whoever holds the queue waits for the next frame, and leaves it to the others meanwhile.
        let next = || frames.lock().unwrap_or_else(PoisonError::into_inner).recv();
        while let Ok((number, mut frame, clips)) = next() {
            // Whoever writes finds out for itself that it was cancelled.
            let painted = self.change(number, &mut frame, &clips).is_some();
            if out.send((number, frame)).is_err() || !painted {
                return;
            }
        }
    }

    /// Makes of a frame what is written. `None` when it was cancelled.
    fn change(&self, number: Frame, frame: &mut RawFrame, clips: &ClipFrames) -> Option<()> {
        match self.product {
            Product::Other(Pictured::PngGraphics) => frame.data = self.graphics_of(number, frame, clips)?.png(),
            Product::Film(container) if container.is_graphics() => {
                frame.data = self.graphics_of(number, frame, clips)?.data().to_vec();
            }
            Product::Film(_) => self.paint(number, frame, clips)?,
        }
        Some(())
    }

    /// Paints into a frame of the film.
    fn paint(&self, number: Frame, frame: &mut RawFrame, clips: &ClipFrames) -> Option<()> {
        let drawables = self.scene.frame(number);
        let untouched = drawables.iter().any(|drawable| drawable.needs_picture()).then(|| frame.data.clone());
        let film = untouched.as_ref().and_then(|data| FilmPicture::new(frame.size, data, self.matrix));
        let Some(mut target) = YuvFrame::new(frame.size, &mut frame.data, self.matrix) else { return Some(()) };
        let behind = Behind { film: film.as_ref(), clips: Some(clips) };
        for layer in self.painter.layers(&drawables, behind) {
            match film.as_ref().filter(|_| layer.restores) {
                Some(film) => target.restore(&layer, film),
                None => target.blend(&layer),
            }
            self.go_on()?;
        }
        Some(())
    }

    fn go_on(&self) -> Option<()> {
        (!self.cancel.is_cancelled()).then_some(())
    }

    /// What would be painted into a frame, over nothing.
    fn graphics_of(&self, number: Frame, frame: &RawFrame, clips: &ClipFrames) -> Option<Graphics> {
        let film = FilmPicture::new(frame.size, &frame.data, self.matrix);
        let mut graphics = Graphics::new(frame.size);
        let behind = Behind { film: film.as_ref(), clips: Some(clips) };
        for layer in self.painter.layers(&self.scene.frame(number), behind) {
            graphics.blend(&layer);
            self.go_on()?;
        }
        Some(graphics)
    }
}

/// Where the frames go.
enum Sink {
    Film(Encoder),
    Pictures(Box<NumberedPictures>),
}

impl Sink {
    fn open(tools: &Tools, painting: &Painting<'_>, cancel: &Cancel) -> Result<Self, MediaError> {
        let Painting { clip, info, table, range, product, name, piece_of, out, .. } = *painting;
        Ok(match product {
            Product::Film(container) => {
                let job = EncodeJob { clip, info, table, range, container, piece_of, out };
                Self::Film(Encoder::start(tools, &job, cancel.clone())?)
            }
            Product::Other(_) => Self::Pictures(Box::new(NumberedPictures::start(out, name)?)),
        })
    }

    fn write(&mut self, number: Frame, frame: &RawFrame) -> Result<(), MediaError> {
        match self {
            Self::Film(encoder) => encoder.write(number, &frame.data),
            Self::Pictures(pictures) => pictures.write(number, &frame.data),
        }
    }

    fn finish(self) -> Result<(), MediaError> {
        match self {
            Self::Film(encoder) => encoder.finish(),
            Self::Pictures(pictures) => pictures.finish(),
        }
    }

    /// The reason why it would not take any more, if it had one.
    fn abandon(self) -> Option<MediaError> {
        match self {
            Self::Film(encoder) => encoder.abandon(),
            Self::Pictures(pictures) => {
                pictures.abandon();
                None
            }
        }
    }
}

/// What was painted, from `first` on in its order: the threads are not done in the order in which they began.
fn write(
    sink: &mut Sink,
    first: Frame,
    frames: Receiver<Numbered>,
    emptied: Sender<RawFrame>,
    (cancel, report): (&Cancel, &mut dyn FnMut(u32)),
) -> Result<u32, MediaError> {
    let mut waiting = BTreeMap::new();
    let mut count = 0;
    for (number, frame) in frames {
        if cancel.is_cancelled() {
            return Err(MediaError::Cancelled);
        }
        waiting.insert(number, frame);
        while let Some(frame) = waiting.remove(&Frame(first.0 + count)) {
            sink.write(Frame(first.0 + count), &frame)?;
            let _ = emptied.send(frame);
            count += 1;
            report(count);
        }
    }
    Ok(count)
}
