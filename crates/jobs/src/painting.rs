//! Frames decoded, painted on, and written; three threads, so that the encoder never waits.

use std::path::Path;
use std::sync::mpsc::{Receiver, SyncSender, sync_channel};
use std::time::Duration;

use jampin_core::geometry::Size;
use jampin_core::scene::Scene;
use jampin_core::time::{Frame, FrameRange};
use jampin_media::{
    Cancel, ClipInfo, EncodeJob, Encoder, FrameReader, FrameTable, MediaError, NumberedPictures, RawFrame, Tools,
    raw_frame,
};
use jampin_render::{FilmPicture, Graphics, Painter, Pictures, Typesetter, YuvFrame, YuvMatrix};

use crate::{Pictured, Product, TaskError};

/// Frames that may wait between two threads: more only takes memory.
const QUEUE: usize = 4;

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
    /// The bytes of its pictures.
    pub pictures: &'a Pictures,
    /// What kind of file.
    pub product: Product,
    /// What numbered pictures are called.
    pub name: &'a str,
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
    let typesetter = Typesetter::default();
    let scene = painting.scene;
    let painter = Painter::new(&typesetter, scene.artwork(), painting.pictures, painting.info.size)?;
    let matrix = YuvMatrix::named(painting.info.matrix(), painting.info.is_full_range());
    let brush = Brush { scene, painter: &painter, matrix, product: painting.product, cancel };
    let source = if painting.product.is_graphics() && !scene.needs_picture() {
        Source::Blank
    } else {
        Source::Film(FrameReader::open(tools, painting.clip, painting.info, cancel.clone())?)
    };
    let mut sink = Sink::open(tools, painting, cancel)?;
    let (decoded_in, decoded) = sync_channel(QUEUE);
    let (painted_in, painted) = sync_channel(QUEUE);
    let (emptied_in, emptied) = sync_channel(2 * QUEUE + 4);
    let (size, range) = (painting.info.size, painting.range);
    let written = std::thread::scope(|scope| {
        let decoder = scope.spawn(move || source.run(size, range, &decoded_in, &emptied));
        scope.spawn(|| brush.run(decoded, painted_in));
        let written = write(&mut sink, painted, &emptied_in, (cancel, report));
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

/// One frame of a shot with its attachments as PNG; of the graphics alone with transparency, where the product has them alone.
pub fn paint_still(tools: &Tools, painting: &Painting<'_>, number: Frame) -> Result<Vec<u8>, TaskError> {
    let Painting { clip, info, table, .. } = *painting;
    let typesetter = Typesetter::default();
    let scene = painting.scene;
    let painter = Painter::new(&typesetter, scene.artwork(), painting.pictures, info.size)?;
    let matrix = YuvMatrix::named(info.matrix(), info.is_full_range());
    let patience = Cancel::after(STILL_PATIENCE);
    let brush = Brush { scene, painter: &painter, matrix, product: painting.product, cancel: &patience };
    let mut frame = raw_frame(tools, clip, info, table, number)?;
    let too_long = TaskError::Missing("This frame takes too long to paint. Export the shot instead.".into());
    if painting.product.is_graphics() {
        return brush.graphics_of(number, &frame).map(|graphics| graphics.png()).ok_or(too_long);
    }
    brush.paint(number, &mut frame).ok_or(too_long)?;
    let film = FilmPicture::new(frame.size, &frame.data, matrix);
    Ok(film.map(|film| film.png()).unwrap_or_default())
}

type Numbered = (Frame, RawFrame);

/// Where the frames come from.
enum Source {
    Film(FrameReader),
    /// Graphics alone need no film, unless they change or hide parts of it.
    Blank,
}

impl Source {
    fn run(
        self,
        size: Size,
        range: FrameRange,
        out: &SyncSender<Numbered>,
        emptied: &Receiver<RawFrame>,
    ) -> Result<(), MediaError> {
        // When nobody wants more, whoever stopped has the reason.
        let blank = || RawFrame { size, data: Vec::new() };
        match self {
            Self::Blank => {
                let _ = range.frames().try_for_each(|number| out.send((number, blank())));
            }
            Self::Film(mut reader) => {
                let mut number = Frame(0);
                let mut frame = blank();
                while number <= range.last && reader.read(&mut frame)? {
                    if number >= range.first {
                        if out.send((number, frame)).is_err() {
                            return Ok(());
                        }
                        frame = emptied.try_recv().unwrap_or_else(|_| blank());
                    }
                    number = Frame(number.0 + 1);
                }
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
    fn run(&self, frames: Receiver<Numbered>, out: SyncSender<Numbered>) {
        for (number, mut frame) in frames {
            // Whoever writes finds out for itself that it was cancelled.
            let painted = self.change(number, &mut frame).is_some();
            if out.send((number, frame)).is_err() || !painted {
                return;
            }
        }
    }

    /// Makes of a frame what is written. `None` when it was cancelled.
    fn change(&self, number: Frame, frame: &mut RawFrame) -> Option<()> {
        match self.product {
            Product::Other(Pictured::PngGraphics) => frame.data = self.graphics_of(number, frame)?.png(),
            Product::Film(container) if container.is_graphics() => {
                frame.data = self.graphics_of(number, frame)?.data().to_vec();
            }
            Product::Film(_) => self.paint(number, frame)?,
        }
        Some(())
    }

    /// Paints into a frame of the film.
    fn paint(&self, number: Frame, frame: &mut RawFrame) -> Option<()> {
        let drawables = self.scene.frame(number);
        let untouched = drawables.iter().any(|drawable| drawable.needs_picture()).then(|| frame.data.clone());
        let film = untouched.as_ref().and_then(|data| FilmPicture::new(frame.size, data, self.matrix));
        let Some(mut target) = YuvFrame::new(frame.size, &mut frame.data, self.matrix) else { return Some(()) };
        for layer in self.painter.layers(&drawables, film.as_ref()) {
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
    fn graphics_of(&self, number: Frame, frame: &RawFrame) -> Option<Graphics> {
        let film = FilmPicture::new(frame.size, &frame.data, self.matrix);
        let mut graphics = Graphics::new(frame.size);
        for layer in self.painter.layers(&self.scene.frame(number), film.as_ref()) {
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
        let Painting { clip, info, table, range, product, name, out, .. } = *painting;
        Ok(match product {
            Product::Film(container) => {
                let job = EncodeJob { clip, info, table, range, container, out };
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

fn write(
    sink: &mut Sink,
    frames: Receiver<Numbered>,
    emptied: &SyncSender<RawFrame>,
    (cancel, report): (&Cancel, &mut dyn FnMut(u32)),
) -> Result<u32, MediaError> {
    let mut count = 0;
    for (number, frame) in frames {
        if cancel.is_cancelled() {
            return Err(MediaError::Cancelled);
        }
        sink.write(number, &frame)?;
        // A full pool is no matter: the frame's memory is then given back.
        let _ = emptied.try_send(frame);
        count += 1;
        report(count);
    }
    Ok(count)
}
