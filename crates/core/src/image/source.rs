//! Where planes come from, as the core sees it.

use std::convert::Infallible;

use serde::{Deserialize, Serialize};

use super::{Plane, Scene, SceneFinder, Window};
use crate::geometry::{PixelRect, Size};
use crate::time::Frame;

/// One number a pixel, made of its colour.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Component {
    /// Brightness, as the stream carries it.
    #[default]
    Luma,
    /// Red of R'G'B'.
    Red,
    /// Green of R'G'B'.
    Green,
    /// Blue of R'G'B'.
    Blue,
    /// How far the colour is from grey: the largest of R'G'B' less the smallest. Not divided by the largest, as noise
    /// in the dark would then look like colour.
    Saturation,
}

impl Component {
    /// Of a pixel in R'G'B', 0 to 255; luma is not made of it here but taken from the stream.
    pub fn of_rgb(self, [red, green, blue]: [u8; 3], luma: u8) -> u8 {
        match self {
            Self::Luma => luma,
            Self::Red => red,
            Self::Green => green,
            Self::Blue => blue,
            Self::Saturation => red.max(green).max(blue) - red.min(green).min(blue),
        }
    }
}

/// Colour differences of a part of a picture, in limited range about 128.
#[derive(Clone, Debug)]
pub struct Chroma {
    /// Pixels of the picture, across and down, in one sample: a place in the picture is that place over `step` here.
    pub step: u32,
    /// Blue difference.
    pub blue: Window,
    /// Red difference.
    pub red: Window,
}

impl Chroma {
    /// Side of a sample for a picture of this size: fine enough for heads, which are larger in large pictures.
    pub fn step_of(size: Size) -> u32 {
        if size.height <= FINE_UP_TO { 2 } else { 4 }
    }

    /// Size of each of the two planes of a picture.
    pub fn size_of(size: Size) -> Size {
        let step = Self::step_of(size);
        Size::new((size.width / step).max(1), (size.height / step).max(1))
    }
}

/// Rows up to which colour differences have half of the picture's resolution.
const FINE_UP_TO: u32 = 720;

/// Gives windows of the full-size frames of a clip. Implemented by the caller, who knows about files.
///
/// Only the neighbourhood of a pin is ever asked for, so the cost of a pin need not grow with the picture.
pub trait FrameSource: Send {
    /// What can go wrong on the way to the pixels.
    type Error: Send;

    /// Size of every frame.
    fn size(&self) -> Size;

    /// The pixels of `rect` (clamped to the picture) on `frame`.
    fn window(&mut self, frame: Frame, rect: PixelRect, component: Component) -> Result<Window, Self::Error>;

    /// The colour differences of `rect`, if there are any.
    fn chroma(&mut self, frame: Frame, rect: PixelRect) -> Result<Option<Chroma>, Self::Error> {
        let _ = (frame, rect);
        Ok(None)
    }

    /// One window for each component.
    fn windows(&mut self, frame: Frame, rect: PixelRect, components: &[Component]) -> Result<Vec<Window>, Self::Error> {
        components.iter().map(|component| self.window(frame, rect, *component)).collect()
    }
}

/// Frames that are all in memory, the first being frame 0.
#[derive(Clone, Debug)]
pub struct PlaneStack {
    luma: Vec<Plane>,
    /// Red, green and blue of each frame; empty for a grey film.
    colour: Vec<[Plane; 3]>,
}

impl PlaneStack {
    /// A grey film; `None` when there is no plane, or when sizes differ.
    pub fn new(luma: Vec<Plane>) -> Option<Self> {
        let size = luma.first()?.size();
        luma.iter().all(|plane| plane.size() == size).then_some(Self { luma, colour: Vec::new() })
    }

    /// A colour film; `None` when numbers of frames or sizes differ.
    pub fn with_colour(luma: Vec<Plane>, colour: Vec<[Plane; 3]>) -> Option<Self> {
        let stack = Self::new(luma)?;
        let size = stack.size();
        let fits = colour.len() == stack.luma.len() && colour.iter().flatten().all(|plane| plane.size() == size);
        fits.then_some(Self { colour, ..stack })
    }

    /// The film as a whole.
    pub fn scene(&self) -> Scene {
        let mut finder = SceneFinder::default();
        self.luma.iter().for_each(|plane| finder.push(plane));
        finder.finish()
    }

    /// The luma planes, in order.
    pub fn planes(&self) -> &[Plane] {
        &self.luma
    }
}

impl FrameSource for PlaneStack {
    type Error = Infallible;

    fn size(&self) -> Size {
        self.luma[0].size()
    }

    fn window(&mut self, frame: Frame, rect: PixelRect, component: Component) -> Result<Window, Infallible> {
        let frame = frame.0 as usize;
        let luma = self.luma[frame].window(rect);
        let Some(colour) = self.colour.get(frame).filter(|_| component != Component::Luma) else {
            // Grey: red, green and blue are the luma, and there is no saturation.
            let size = luma.plane.size();
            let grey = || Plane::from_fn(size, |_, _| 0);
            let plane = if component == Component::Saturation { grey() } else { luma.plane };
            return Ok(Window { plane, ..luma });
        };
        let parts = [0, 1, 2].map(|i| colour[i].window(rect));
        let value = |col: u32, row: u32| {
            let at = |window: &Window| window.plane.row(row as usize)[col as usize];
            component.of_rgb([at(&parts[0]), at(&parts[1]), at(&parts[2])], at(&luma))
        };
        Ok(Window { plane: Plane::from_fn(luma.plane.size(), value), ..luma })
    }
}
