//! Layers, where they are over time, and the exposure of a frame.

use std::ops::Range;

use jampin_core::geometry::{Homography, Point, Size};
use jampin_core::image::Blur;

use crate::noise::hash;
use crate::texture::{Colour, Texture, to_code};

/// Samples along the motion of a layer: one for each so many pixels of it within the shutter.
const PIXELS_PER_SAMPLE: f64 = 1.2;
/// More samples than this cannot be told apart.
const MOST_SAMPLES: usize = 20;
/// Fewer do not show that a motion gets faster or turns round within the exposure.
const LEAST_SAMPLES: usize = 3;
/// What moves less than this within the exposure stands still, in pixels.
const STILL: f64 = 0.1;
/// Of what is behind so little is seen that no code value would tell.
const COVERED: f32 = 1e-5;

/// Columns that are passed over together where nothing is painted on a layer, or all is covered. Other numbers were not
/// tried.
const TOGETHER: usize = 8;

/// Moments of an exposure over which the true place is averaged.
const MOMENTS: usize = 16;

/// Where a layer is on the picture at a moment.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Pose {
    /// Place of the layer's anchor on the picture, in pixels.
    pub at: Point,
    /// Size on the picture over size as painted.
    pub scale: f64,
    /// Turn about the anchor, in radians, clockwise.
    pub turn: f64,
    /// Perspective across and down, per pixel as painted: how fast it gets farther away.
    pub tilt: Point,
}

impl Pose {
    /// Upright and facing the camera.
    pub fn facing(at: Point, scale: f64) -> Self {
        Self { at, scale, turn: 0.0, tilt: Point::default() }
    }

    /// Where a place of the layer, counted from its anchor, is on the picture.
    pub(crate) fn place(&self, from_anchor: Point) -> Point {
        self.map().apply(from_anchor)
    }

    /// From the layer, counted from its anchor, to the picture.
    fn map(&self) -> Homography {
        let (sin, cos) = self.turn.sin_cos();
        let s = self.scale;
        let Point { x, y } = self.at;
        let turned = Homography::new([[s * cos, -s * sin, x], [s * sin, s * cos, y], [0.0, 0.0, 1.0]]);
        turned.after(&Homography::new([[1.0, 0.0, 0.0], [0.0, 1.0, 0.0], [self.tilt.x, self.tilt.y, 1.0]]))
    }
}

/// A painted surface that moves.
pub struct Layer {
    pub(crate) name: &'static str,
    /// One or several pictures; several are shown in turn (a walk).
    pub(crate) textures: Vec<Texture>,
    /// Place on the texture that the pose puts down, in its pixels.
    pub(crate) anchor: Point,
    /// Where it is, by time in frames.
    pub(crate) pose: Box<dyn Fn(f64) -> Pose + Sync + Send>,
    /// Which of the pictures, by time in frames.
    pub(crate) picture: Box<dyn Fn(f64) -> usize + Sync + Send>,
    /// Light that it adds instead of covering: lamps.
    pub(crate) adds: bool,
    /// How it waves, when it is cloth.
    pub(crate) cloth: Option<Cloth>,
}

/// Cloth in the wind: where its places go, by time in frames.
pub(crate) struct Cloth {
    /// How far a place of the texture has gone, in its pixels. It has to be less than the place's own step from one pixel
    /// to the next: cloth that folds over itself is not shown.
    pub moved: Box<dyn Fn(f64, Point) -> Point + Sync + Send>,
    /// The light on a place, over usual light.
    pub shade: Box<dyn Fn(f64, Point) -> f32 + Sync + Send>,
    /// No place goes further than this, in pixels of the texture.
    pub reach: f64,
}

/// Times at most that the way back to a place of cloth is made better: each leaves less than half of what is missing.
const CLOTH_ROUNDS: usize = 12;
/// A place of cloth that moves by less than this, in pixels of the texture, is good enough.
const CLOTH_SETTLED: f64 = 0.02;

impl Cloth {
    /// The place of the texture that is seen at a place at which it would be without wind, begun from a guess.
    fn origin(&self, time: f64, seen: Point, guess: Point) -> Point {
        let mut at = guess;
        for _ in 0..CLOTH_ROUNDS {
            let before = at;
            at = seen - (self.moved)(time, before);
            if at.distance(before) < CLOTH_SETTLED {
                break;
            }
        }
        at
    }
}

/// A named place on a layer, for the truth.
#[derive(Clone, Debug, PartialEq)]
pub struct TruePoint {
    /// Its name.
    pub name: &'static str,
    pub(crate) layer: &'static str,
    /// Place on the layer's texture, in its pixels.
    pub(crate) at: Point,
    /// Layers that hide it when they cover it: those in front.
    pub(crate) hidden_by: Vec<&'static str>,
}

/// Everything about a shot.
pub struct Shot {
    /// Its name, also of its files.
    pub name: &'static str,
    /// Size of the picture.
    pub size: Size,
    /// Number of frames.
    pub frames: u32,
    /// Frames a second.
    pub rate: u32,
    /// Share of a frame's time that the shutter is open.
    pub shutter: f64,
    /// Standard deviation of the grain, in code values.
    pub grain: f32,
    /// Standard deviation of the blur of the lens, in pixels, by time in frames.
    pub(crate) defocus: fn(f64) -> f64,
    /// Light over usual light, by time in frames.
    pub(crate) light: fn(f64) -> f64,
    /// Share of a frame's time from the exposure of the first row to that of the last: a sensor that is read row by
    /// row.
    pub(crate) readout: f64,
    /// Samples across and down in a pixel: more than 1 where a layer is seen smaller than it was painted.
    pub(crate) samples: usize,
    pub(crate) layers: Vec<Layer>,
    pub(crate) points: Vec<TruePoint>,
}

impl Layer {
    pub(crate) fn still(
        name: &'static str,
        texture: Texture,
        pose: impl Fn(f64) -> Pose + Sync + Send + 'static,
    ) -> Self {
        Self {
            name,
            textures: vec![texture],
            anchor: Point::default(),
            pose: Box::new(pose),
            picture: Box::new(|_| 0),
            adds: false,
            cloth: None,
        }
    }

    /// What is seen at a place of the texture, as far as it is not cloth. `gone` is how far the cloth had gone where it was
    /// looked at last, which is near.
    fn sample(&self, texture: &Texture, (time, gone): (f64, &mut Point), at: Point) -> Colour {
        let Some(cloth) = &self.cloth else { return texture.sample(at.x as f32, at.y as f32) };
        let seen = at;
        let at = cloth.origin(time, seen, seen - *gone);
        *gone = seen - at;
        let shade = (cloth.shade)(time, at);
        let [r, g, b, a] = texture.sample(at.x as f32, at.y as f32);
        [r * shade, g * shade, b * shade, a]
    }

    fn to_picture(&self, time: f64, place: Point) -> Point {
        let waved = self.cloth.as_ref().map_or(place, |cloth| place + (cloth.moved)(time, place));
        (self.pose)(time).map().apply(waved - self.anchor)
    }

    /// From the picture to the layer's texture.
    fn texture_map(&self, pose: &Pose) -> Homography {
        Homography::shift(self.anchor).after(&pose.map().inverse().expect("a layer is not seen edge on"))
    }
}

impl Shot {
    /// Middle of the exposure of a frame, by time in frames.
    fn middle(&self, frame: u32) -> f64 {
        f64::from(frame) + self.shutter / 2.0
    }

    /// Where a named point is on a frame, whether or not it can be seen: its mean over the exposure, which is where a
    /// blurred feature is seen.
    pub fn place(&self, point: &TruePoint, frame: u32) -> Point {
        let layer = self.layer(point.layer);
        let exposed = |later: f64| {
            let time = |i: usize| f64::from(frame) + later + self.shutter * (i as f64 + 0.5) / MOMENTS as f64;
            let places = (0..MOMENTS).map(|i| layer.to_picture(time(i), point.at));
            places.fold(Point::default(), |sum, place| sum + place) * (1.0 / MOMENTS as f64)
        };
        // In which row it is tells when it is exposed, which tells in which row it is: twice is enough for what moves
        // less than a picture.
        (0..2).fold(exposed(0.0), |place, _| exposed(self.later(place.y)))
    }

    /// How much later than the first a row is exposed, in frames.
    fn later(&self, row: f64) -> f64 {
        self.readout * row / f64::from(self.size.height)
    }

    /// Whether a named point can be seen on a frame: inside the picture and not covered.
    pub fn is_visible(&self, point: &TruePoint, frame: u32) -> bool {
        let place = self.place(point, frame);
        let time = self.middle(frame) + self.later(place.y);
        let covers = |name: &&'static str| {
            let layer = self.layer(name);
            let pose = (layer.pose)(time);
            let on = layer.texture_map(&pose).apply(place);
            layer.sample(&layer.textures[(layer.picture)(time)], (time, &mut Point::default()), on)[3] > 0.5
        };
        self.size.contains(place) && !point.hidden_by.iter().any(covers)
    }

    fn layer(&self, name: &str) -> &Layer {
        self.layers.iter().find(|layer| layer.name == name).expect("points name layers of their shot")
    }

    /// The named points.
    pub fn points(&self) -> &[TruePoint] {
        &self.points
    }

    /// Exposes a frame: packed RGB, 8 bits.
    pub fn expose(&self, frame: u32) -> Vec<u8> {
        let mut picture = Picture::dark(self.size.area());
        for layer in self.layers.iter().rev() {
            self.paint(layer, f64::from(frame), &mut picture);
        }
        let mut light = picture.light;
        let middle = self.middle(frame);
        let blur = Blur { sigma: (self.defocus)(middle), along: Point::default() };
        if !blur.is_none() {
            blur_light(&mut light, self.size.width as usize, blur);
        }
        let exposure = (self.light)(middle) as f32;
        let codes: Vec<f32> = (0..=4096).map(|i| to_code(i as f32 / 4096.0) * 255.0).collect();
        let width = self.size.width as usize;
        let mut out = Vec::with_capacity(light.len() * 3);
        for (i, pixel) in light.iter().enumerate() {
            let (col, row) = ((i % width) as i32, (i / width) as i32);
            // The mean of four even numbers is near enough to a Gaussian; sqrt(3) gives it a deviation of 1.
            let seed = frame.wrapping_mul(131);
            let noise = (0..4).map(|k| hash(col, row, seed + k)).sum::<f32>() - 2.0;
            let grain = noise * 3f32.sqrt() * self.grain;
            out.extend(pixel.map(|value| {
                let value = value * exposure;
                let code = codes[(value.clamp(0.0, 1.0) * 4096.0) as usize];
                (code + grain + 0.5).clamp(0.0, 255.0) as u8
            }));
        }
        out
    }

    fn paint(&self, layer: &Layer, open: f64, picture: &mut Picture) {
        let close = open + self.shutter;
        let (first, last) = ((layer.pose)(open), (layer.pose)(close));
        let texture = &layer.textures[(layer.picture)((open + close) / 2.0)];
        let far = Point::new(texture.width as f64, texture.height as f64);
        let moved = [Point::default(), far].map(|corner| self.way(layer, open, corner));
        let way = moved[0].max(moved[1]);
        let least = if way > STILL { LEAST_SAMPLES } else { 1 };
        let count = ((way / PIXELS_PER_SAMPLE).ceil() as usize).clamp(least, MOST_SAMPLES);
        let maps_at = |later: f64| -> Vec<(f64, Homography)> {
            let moment = |i: usize| open + later + self.shutter * (i as f64 + 0.5) / count as f64;
            (0..count).map(|i| (moment(i), layer.texture_map(&(layer.pose)(moment(i))))).collect()
        };
        let read = (layer.pose)(close + self.readout);
        let (cols, rows) = self.covered(layer, &[first, last, read], far);
        let mut maps = maps_at(0.0);
        for row in rows {
            if self.readout > 0.0 {
                maps = maps_at(self.later(row as f64 + 0.5));
            }
            let mut lines: Vec<Line> = maps.iter().flat_map(|(time, map)| self.lines(*time, map, row)).collect();
            for start in cols.clone().step_by(TOGETHER) {
                let together = start..(start + TOGETHER).min(cols.end);
                let open = &picture.open[row * self.size.width as usize..];
                let is_covered = open[together.clone()].iter().all(|open| *open <= COVERED);
                if is_covered || layer.cloth.is_none() && lines.iter().all(|line| line.is_bare(texture, &together)) {
                    continue;
                }
                let shown = self.means(layer, texture, &mut lines, &together);
                for (col, sample) in together.zip(shown) {
                    let i = row * self.size.width as usize + col;
                    if picture.open[i] > COVERED {
                        picture.add(i, sample, layer.adds);
                    }
                }
            }
        }
    }

    /// The lines on a layer that are seen along a row of the picture at a moment.
    fn lines(&self, time: f64, map: &Homography, row: usize) -> impl Iterator<Item = Line> {
        let [x, y, z] = *map.rows();
        (0..self.samples).map(move |i| {
            let down = row as f64 + self.share(i);
            let from = [x, y, z].map(|[_, b, c]| b * down + c);
            Line { time, from, step: [x[0], y[0], z[0]], gone: Point::default() }
        })
    }

    /// Where the `i`th sample lies in a pixel, across or down.
    fn share(&self, i: usize) -> f64 {
        (i as f64 + 0.5) / self.samples as f64
    }

    /// What a layer shows in some columns of a row, each over all moments and all samples.
    fn means(&self, layer: &Layer, texture: &Texture, lines: &mut [Line], cols: &Range<usize>) -> [Colour; TOGETHER] {
        let mut sums = [[0f32; 4]; TOGETHER];
        for line in lines.iter_mut() {
            for (sum, col) in sums.iter_mut().zip(cols.clone()) {
                for i in 0..self.samples {
                    let at = line.at(col as f64 + self.share(i));
                    let sample = layer.sample(texture, (line.time, &mut line.gone), at);
                    sum.iter_mut().zip(sample).for_each(|(sum, part)| *sum += part);
                }
            }
        }
        let count = (lines.len() * self.samples) as f32;
        sums.map(|sum| sum.map(|value| value / count))
    }

    /// How far a place of a layer goes while the shutter is open: there and back counts twice.
    fn way(&self, layer: &Layer, open: f64, place: Point) -> f64 {
        let at = |i: usize| layer.to_picture(open + self.shutter * i as f64 / MOMENTS as f64, place);
        (0..MOMENTS).map(|i| at(i).distance(at(i + 1))).sum()
    }

    /// Columns and rows of the picture that a layer may touch in these poses.
    fn covered(&self, layer: &Layer, poses: &[Pose], far: Point) -> (Range<usize>, Range<usize>) {
        let out = layer.cloth.as_ref().map_or(0.0, |cloth| cloth.reach);
        let [left, right, top, bottom] = [-out, far.x + out, -out, far.y + out];
        let corners = [(left, top), (right, top), (left, bottom), (right, bottom)].map(|(x, y)| Point::new(x, y));
        let places = poses.iter().flat_map(|pose| corners.map(|corner| pose.map().apply(corner - layer.anchor)));
        let (mut low, mut high) = (Point::new(f64::MAX, f64::MAX), Point::new(f64::MIN, f64::MIN));
        for place in places {
            (low.x, low.y) = (low.x.min(place.x), low.y.min(place.y));
            (high.x, high.y) = (high.x.max(place.x), high.y.max(place.y));
        }
        let within = |value: f64, most: u32| value.floor().clamp(0.0, f64::from(most)) as usize;
        let Size { width, height } = self.size;
        (
            within(low.x - 1.0, width)..within(high.x + 2.0, width),
            within(low.y - 1.0, height)..within(high.y + 2.0, height),
        )
    }
}

/// A picture that is painted from the front to the back: what is hidden is never looked at.
struct Picture {
    light: Vec<[f32; 3]>,
    /// Share of each pixel that nothing covers yet.
    open: Vec<f32>,
}

impl Picture {
    fn dark(pixels: usize) -> Self {
        Self { light: vec![[0.0; 3]; pixels], open: vec![1.0; pixels] }
    }

    /// Behind all that is there, one more layer. One that only adds light hides nothing.
    fn add(&mut self, i: usize, [r, g, b, a]: Colour, only_light: bool) {
        let open = &mut self.open[i];
        for (light, more) in self.light[i].iter_mut().zip([r, g, b]) {
            *light += *open * more;
        }
        if !only_light {
            *open *= 1.0 - a;
        }
    }
}

/// What one row of the picture sees of a layer at a moment: a place of its texture for each column.
struct Line {
    time: f64,
    /// Across, down and depth at the left edge of the picture.
    from: [f64; 3],
    /// How much they grow from one column to the next.
    step: [f64; 3],
    /// How far cloth had gone where it was looked at last.
    gone: Point,
}

impl Line {
    fn at(&self, col: f64) -> Point {
        let [x, y, depth] = [0, 1, 2].map(|i| self.from[i] + self.step[i] * col);
        Point::new(x, y) * (1.0 / depth)
    }

    /// Whether nothing is painted where it passes through columns.
    fn is_bare(&self, texture: &Texture, cols: &Range<usize>) -> bool {
        let [from, to] = [cols.start, cols.end].map(|col| self.at(col as f64));
        texture.is_bare((from.x as f32, from.y as f32), (to.x as f32, to.y as f32))
    }
}

fn blur_light(light: &mut [[f32; 3]], width: usize, blur: Blur) {
    for channel in 0..3 {
        let mut values: Vec<f32> = light.iter().map(|pixel| pixel[channel]).collect();
        blur.soften(&mut values, width);
        light.iter_mut().zip(values).for_each(|(pixel, value)| pixel[channel] = value);
    }
}
