//! The films, as they are decoded, in memory.

use std::convert::Infallible;
use std::path::Path;
use std::process::Command;

use jampin_core::follow::shot_part;
use jampin_core::geometry::{PixelRect, Size};
use jampin_core::image::{Chroma, Component, CutFinder, FrameSource, Plane, Scene, SceneFinder, Window};
use jampin_core::time::{Frame, FrameRange};

/// A film, and what is found while its frames go by.
pub struct Film {
    pub size: Size,
    pub planes: Vec<Plane>,
    /// Blue and red difference of each frame.
    chroma: Vec<[Plane; 2]>,
    pub scene: Scene,
    pub cuts: Vec<Frame>,
}

/// Its frames, for one thread.
pub struct Shared<'a>(pub &'a Film);

impl FrameSource for Shared<'_> {
    type Error = Infallible;
    fn size(&self) -> Size {
        self.0.size
    }
    fn window(&mut self, frame: Frame, rect: PixelRect, _: Component) -> Result<Window, Infallible> {
        Ok(self.0.planes[frame.0 as usize].window(rect))
    }
    fn chroma(&mut self, frame: Frame, rect: PixelRect) -> Result<Option<Chroma>, Infallible> {
        let PixelRect { left, top, right, bottom } = rect;
        let half = PixelRect { left: left / 2, top: top / 2, right: right / 2 + 1, bottom: bottom / 2 + 1 };
        let [blue, red] = &self.0.chroma[frame.0 as usize];
        Ok(Some(Chroma { step: 2, blue: blue.window(half), red: red.window(half) }))
    }
}

pub fn film(path: &Path) -> Film {
    let words = |args: &[&str]| {
        let out = Command::new("ffprobe").args(["-v", "error", "-select_streams", "v:0"]).args(args).arg(path).output();
        String::from_utf8(out.unwrap().stdout).unwrap()
    };
    let shape = words(&["-show_entries", "stream=width,height", "-of", "csv=p=0"]);
    let mut numbers = shape.trim().split(',').map(|word| word.parse().unwrap());
    let size = Size::new(numbers.next().unwrap(), numbers.next().unwrap());
    let out = Command::new("ffmpeg")
        .args(["-v", "error", "-i"])
        .arg(path)
        .args(["-map", "0:v:0", "-fps_mode", "passthrough", "-pix_fmt", "yuv420p", "-f", "rawvideo", "pipe:1"])
        .output()
        .unwrap();
    let half = Size::new(size.width.div_ceil(2), size.height.div_ceil(2));
    let (mut planes, mut chroma) = (Vec::new(), Vec::new());
    let mut finder = SceneFinder::default();
    let mut cuts = CutFinder::default();
    for data in out.stdout.chunks_exact(size.area() + 2 * half.area()) {
        let (luma, both) = data.split_at(size.area());
        let parts = [0, 1].map(|i| Plane::new(half, both[i * half.area()..][..half.area()].to_vec()).unwrap());
        let plane = Plane::new(size, luma.to_vec()).unwrap();
        finder.push(&plane);
        parts.iter().for_each(|part| finder.push_chroma(part));
        cuts.push(&plane);
        planes.push(plane);
        chroma.push(parts);
    }
    let scene = finder.finish();
    eprintln!("{}: in colour {}, cuts {:?}", path.display(), scene.is_coloured(), cuts.cuts());
    Film { size, planes, chroma, scene, cuts: cuts.cuts().to_vec() }
}

impl Film {
    /// Of a range, and of the whole film, what lies between the cuts round a frame.
    pub fn parts(&self, frame: Frame, range: FrameRange) -> (FrameRange, FrameRange) {
        let part = |range| shot_part(range, &self.cuts, frame);
        (part(range), part(self.whole()))
    }

    /// All of it.
    pub fn whole(&self) -> FrameRange {
        FrameRange { first: Frame(0), last: Frame(self.planes.len() as u32 - 1) }
    }
}
