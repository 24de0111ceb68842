//! What a film does as a whole: how its camera moves, how much each frame differs from the one before, and what the
//! scene looks like when nobody is in it. Found while its frames go by.

use std::collections::BTreeMap;

use super::camera::CameraMove;
use super::plate::Plate;
use super::small::SmallCopy;
use super::{Plane, SweepFinder, Thinning};
use crate::geometry::{PixelRect, Point, Size};
use crate::time::{Frame, FrameRange};

/// Widest small copy that differences and the empty scene are kept at, in pixels: a head of 25 pixels in a picture of
/// 640 is 12 there.
const SMALL_WIDTH: u32 = 480;
/// Small copies that are kept of a film at most; when there are more, every second one goes.
const MOST_KEPT: usize = 120;
/// Frames that the empty scene is made of; fewer than a third of that do not show it.
const PLATE_FRAMES: usize = 41;
/// A camera that moves by less than this, in small pixels of [`SweepFinder`] a frame, stands still: measuring is not
/// more exact.
const STILL: f64 = 0.6;
/// Blocks agree on what the camera does when they are off by less than this share of the picture's width.
const AGREE_SHARE: f64 = 0.004;

/// How a frame differs from the one before.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct FrameChange {
    /// The largest mean difference of a block of the small copy, in grey levels. Nearly nothing for a copied frame.
    pub most: f32,
    /// What the camera did; `None` where the blocks do not agree.
    pub camera: Option<CameraMove>,
}

/// A film as a whole.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Scene {
    /// Pixels of the picture in a small one.
    cell: u32,
    /// One a frame; the first differs from nothing.
    changes: Vec<FrameChange>,
    /// Whether there is colour in it.
    coloured: bool,
    /// Small copies of some frames.
    kept: BTreeMap<Frame, SmallCopy>,
}

/// Colour differences of grey, how far from it they are faint, and the share of a frame that has to have more in a film
/// in colour: less is left over by coding.
const NO_COLOUR: u8 = 128;
const FAINT: u8 = 8;
const COLOURED: f64 = 0.02;
/// What never gets lighter than this, in grey levels, at the sides of all frames is a black border and no part of the
/// picture.
const BLACK: u8 = 28;
/// A border is at most this share of the picture, each side.
const WIDEST_BORDER: f64 = 0.3;

/// Looks at a film: hand it every frame in order.
#[derive(Debug, Default)]
pub struct SceneFinder {
    scene: Scene,
    sweep: SweepFinder,
    before: Option<SmallCopy>,
    stride: u32,
}

impl SceneFinder {
    /// Begins with this frame of a film; of those before nothing is known.
    pub fn starting_at(first: Frame) -> Self {
        let unknown = FrameChange { most: 0.0, camera: None };
        Self { scene: Scene { changes: vec![unknown; first.0 as usize], ..Scene::default() }, ..Self::default() }
    }

    /// Looks at the next frame.
    pub fn push(&mut self, plane: &Plane) {
        let size = plane.size();
        let cell = size.width.div_ceil(SMALL_WIDTH).min(size.height).max(1);
        let small = SmallCopy::of(plane, cell);
        self.sweep.push(plane);
        let most = self.before.as_ref().map_or(0.0, |before| before.most_different(&small));
        let camera = CameraMove::of_most(self.sweep.moves(), AGREE_SHARE * f64::from(size.width));
        let frame = self.scene.changes.len() as u32;
        self.scene.cell = cell;
        self.scene.changes.push(FrameChange { most, camera });
        self.stride = self.stride.max(1);
        if frame.is_multiple_of(self.stride) {
            self.scene.kept.insert(Frame(frame), small.clone());
        }
        if self.scene.kept.len() > MOST_KEPT {
            self.stride *= 2;
            let stride = self.stride;
            self.scene.kept.retain(|frame, _| frame.0.is_multiple_of(stride));
        }
        self.before = Some(small);
    }

    /// Looks at a frame's colour differences, both in one plane.
    pub fn push_chroma(&mut self, chroma: &Plane) {
        let plain = chroma.data().iter().filter(|value| value.abs_diff(NO_COLOUR) > FAINT).count();
        self.scene.coloured |= plain as f64 > COLOURED * chroma.data().len() as f64;
    }

    /// How fast the picture as a whole moves, in pixels a frame, one number a frame.
    pub fn speeds(&self) -> &[f32] {
        self.sweep.speeds()
    }

    /// What was found.
    pub fn finish(self) -> Scene {
        self.scene
    }
}

/// A copied frame differs less than this share of what frames around it differ ...
const COPY: f32 = 0.12;
/// ... the larger ones of which count: this share of them is below. Film of five pictures a second is kept at 25 or 30, so
/// that five of six are copies; and two cuts or a flash close by are not what is usual.
const COPY_AGAINST: f64 = 0.9;
/// Frames to each side that say what is usual there.
const COPY_WITHIN: usize = 12;
/// And those that say what the pace is.
const PACE_WITHIN: usize = 15;

const MAGIC: &[u8] = b"jamscen2";
/// Stands for a camera whose motion is not known.
const UNKNOWN: CameraMove = CameraMove { along: f64::NAN, across: f64::NAN, shift: Point::new(f64::NAN, f64::NAN) };

impl Scene {
    /// Number of frames.
    pub fn len(&self) -> usize {
        self.changes.len()
    }

    /// Whether no frame was looked at.
    pub fn is_empty(&self) -> bool {
        self.changes.is_empty()
    }

    /// Whether there is colour in it: a film may be grey all the same when it has colour differences.
    pub fn is_coloured(&self) -> bool {
        self.coloured
    }

    /// Of the frames that are looked at only.
    pub fn thinned(&self, thinning: Thinning) -> Self {
        let last = Frame((self.changes.len() as u32).saturating_sub(1));
        let count = thinning.within(FrameRange { first: Frame(0), last }).map_or(0, |all| all.last.0 + 1);
        let change = |count: u32| {
            let to = thinning.frame(Frame(count)).0 as usize;
            let from = count.checked_sub(1).map_or(to, |before| thinning.frame(Frame(before)).0 as usize + 1);
            let passed = &self.changes[from..=to];
            let most = passed.iter().map(|change| change.most).fold(0.0, f32::max);
            let camera = passed.iter().try_fold(CameraMove::NONE, |all, one| Some(all.then(&one.camera?)));
            FrameChange { most, camera }
        };
        let kept = self.kept.iter().filter_map(|(frame, small)| Some((thinning.count_of(*frame)?, small.clone())));
        Self { changes: (0..count).map(change).collect(), kept: kept.collect(), ..*self }
    }

    fn most(&self, frame: Frame) -> f32 {
        self.changes.get(frame.0 as usize).map_or(0.0, |change| change.most)
    }

    /// As bytes, for a file beside the film's planes: what [`Scene::from_bytes`] reads. All numbers are little-endian.
    pub fn to_bytes(&self) -> Vec<u8> {
        let (width, height) = self.kept.values().next().map_or((0, 0), |small| (small.width, small.height));
        let mut out = MAGIC.to_vec();
        for number in
            [self.cell, width, height, self.changes.len() as u32, self.kept.len() as u32, u32::from(self.coloured)]
        {
            out.extend(number.to_le_bytes());
        }
        for FrameChange { most, camera } in &self.changes {
            out.extend(most.to_le_bytes());
            let CameraMove { along, across, shift } = camera.unwrap_or(UNKNOWN);
            [along, across, shift.x, shift.y].into_iter().for_each(|number| out.extend(number.to_le_bytes()));
        }
        for (frame, small) in &self.kept {
            out.extend(frame.0.to_le_bytes());
            out.extend(&small.data);
        }
        out
    }

    /// What [`Scene::to_bytes`] has written; `None` for anything else.
    pub fn from_bytes(bytes: &[u8]) -> Option<Self> {
        let mut rest = bytes.strip_prefix(MAGIC)?;
        let mut take = |count: usize| {
            let (taken, left) = rest.split_at_checked(count)?;
            rest = left;
            Some(taken)
        };
        let mut head = [0u32; 6];
        for number in &mut head {
            *number = u32::from_le_bytes(take(4)?.try_into().ok()?);
        }
        let [cell, width, height, frames, kept, coloured] = head;
        let mut scene = Self { cell, coloured: coloured == 1, ..Self::default() };
        for _ in 0..frames {
            let most = f32::from_le_bytes(take(4)?.try_into().ok()?);
            let mut numbers = [0f64; 4];
            for number in &mut numbers {
                *number = f64::from_le_bytes(take(8)?.try_into().ok()?);
            }
            let [along, across, x, y] = numbers;
            let camera = CameraMove { along, across, shift: Point::new(x, y) };
            scene.changes.push(FrameChange { most, camera: along.is_finite().then_some(camera) });
        }
        for _ in 0..kept {
            let frame = Frame(u32::from_le_bytes(take(4)?.try_into().ok()?));
            let data = take(width as usize * height as usize)?.to_vec();
            scene.kept.insert(frame, SmallCopy { width, height, data });
        }
        rest.is_empty().then_some(scene)
    }

    /// Differences of the frames around one, the first frame of the film left out.
    fn around(&self, frame: Frame, within: usize) -> impl Iterator<Item = (Frame, f32)> + '_ {
        let at = frame.0 as usize;
        let last = (at + within + 1).min(self.changes.len());
        let all = at.saturating_sub(within).max(1).min(last)..last;
        all.map(|i| (Frame(i as u32), self.changes[i].most))
    }

    /// Whether a frame is (nearly) the same as the one before: old film and converted rates have many.
    pub fn is_copy(&self, frame: Frame) -> bool {
        let mut usual: Vec<f32> = self.around(frame, COPY_WITHIN).map(|(_, most)| most).collect();
        usual.sort_by(f32::total_cmp);
        let at = ((usual.len() as f64 * COPY_AGAINST) as usize).min(usual.len().saturating_sub(1));
        frame.0 > 0 && usual.get(at).is_some_and(|usual| self.most(frame) < COPY * usual)
    }

    /// How much more or less than usual happens between a frame and the one before: 1 is as always around there.
    pub fn pace(&self, frame: Frame) -> f64 {
        if self.is_empty() {
            return 1.0;
        }
        let distinct = self.around(frame, PACE_WITHIN).filter(|(other, _)| !self.is_copy(*other));
        let mut usual: Vec<f32> = distinct.map(|(_, most)| most).collect();
        usual.sort_by(f32::total_cmp);
        let middle = usual.get(usual.len() / 2).copied().unwrap_or(1.0).max(0.1);
        f64::from(self.most(frame) / middle).clamp(0.25, 3.0)
    }

    /// What the camera did between two neighbouring frames; no motion where that is not known.
    pub fn camera(&self, from: Frame, to: Frame) -> CameraMove {
        let later = from.max(to);
        let known = self.changes.get(later.0 as usize).and_then(|change| change.camera);
        let forward = known.unwrap_or(CameraMove::NONE);
        if to >= from { forward } else { forward.inverse() }
    }

    /// The part of the picture that is not a black border, as some frames of the range show it.
    pub fn inside(&self, range: FrameRange, size: Size) -> PixelRect {
        let whole = PixelRect { left: 0, top: 0, right: size.width as i32, bottom: size.height as i32 };
        let kept: Vec<&SmallCopy> = self.kept.range(range.first..=range.last).map(|(_, small)| small).collect();
        let Some(first) = kept.first() else { return whole };
        let (width, height, cell) = (first.width as usize, first.height as usize, self.cell as i32);
        let is_black = |i: usize| kept.iter().all(|small| small.data[i] < BLACK);
        let col_is_black = |col: usize| (0..height).all(|row| is_black(row * width + col));
        let row_is_black = |row: usize| (0..width).all(|col| is_black(row * width + col));
        let most = |length: usize| (length as f64 * WIDEST_BORDER) as usize;
        let left = (0..most(width)).take_while(|col| col_is_black(*col)).count();
        let right = (0..most(width)).take_while(|col| col_is_black(width - 1 - col)).count();
        let top = (0..most(height)).take_while(|row| row_is_black(*row)).count();
        let bottom = (0..most(height)).take_while(|row| row_is_black(height - 1 - row)).count();
        // Where there is a border, its edge may lie in the next small pixel, and coding blurs it by about a pixel: it
        // is a line that stays in the picture, and must not be taken for a part of anything.
        let cut = |cells: usize| if cells == 0 { 0 } else { (cells as i32 + 1) * cell + 1 };
        let inner = |from: usize, back: usize, length: i32| (cut(from), length - cut(back));
        let ((left, right), (top, bottom)) = (inner(left, right, whole.right), inner(top, bottom, whole.bottom));
        // A picture of a few pixels has no room for borders.
        if left < right && top < bottom { PixelRect { left, top, right, bottom } } else { whole }
    }

    /// The scene without those who pass through, as these frames show it; `None` where the camera moves, or too few of
    /// them are known.
    pub fn plate(&self, range: FrameRange, size: Size) -> Option<Plate> {
        let middle = Point::new(f64::from(size.width) / 2.0, f64::from(size.height) / 2.0);
        let moved = |frame: Frame| {
            let camera = self.changes.get(frame.0 as usize)?.camera?;
            Some(camera.apply(middle).distance(middle))
        };
        let mut moves: Vec<f64> = range.frames().skip(1).filter_map(moved).collect();
        moves.sort_by(f64::total_cmp);
        let known = moves.len() * 2 > range.count() as usize;
        let still = STILL * f64::from(size.width) / 640.0;
        if !known || moves[moves.len() * 9 / 10] > still {
            return None;
        }
        let kept: Vec<&SmallCopy> = self.kept.range(range.first..=range.last).map(|(_, small)| small).collect();
        let step = kept.len().div_ceil(PLATE_FRAMES).max(1);
        let chosen: Vec<&SmallCopy> = kept.into_iter().step_by(step).collect();
        (chosen.len() * 3 >= PLATE_FRAMES).then(|| Plate::of(&chosen, self.cell))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::image::Window;

    const SIZE: Size = Size::new(640, 360);

    /// A wall of chance blocks seen by a camera that is moved, with somebody dark before it.
    fn frame(camera: (i32, i32), walker: Option<i32>) -> Plane {
        Plane::from_fn(SIZE, |col, row| {
            let (x, y) = (col as i32 + camera.0 + 900, row as i32 + camera.1 + 900);
            if walker.is_some_and(|at| (at..at + 40).contains(&(col as i32)) && (120..300).contains(&row)) {
                return 25;
            }
            let light = ((f64::from(x / 24) * 12.9898 + f64::from(y / 20) * 78.233).sin() * 43_758.545).fract().abs();
            (60.0 + 130.0 * light) as u8
        })
    }

    fn scene(frames: impl IntoIterator<Item = Plane>) -> Scene {
        let mut finder = SceneFinder::default();
        frames.into_iter().for_each(|plane| finder.push(&plane));
        finder.finish()
    }

    fn all(count: u32) -> FrameRange {
        FrameRange { first: Frame(0), last: Frame(count - 1) }
    }

    #[test]
    fn copies_are_told_from_frames_also_where_most_are_copies() {
        for shown in [3, 6] {
            let scene = scene((0..60).map(|n| frame((2 * (n / shown), 0), None)));
            let copies: Vec<bool> = (1..60).map(|n| scene.is_copy(Frame(n))).collect();
            assert!((1..60).all(|n| copies[n - 1] == (n % shown as usize != 0)), "each {shown} times: {copies:?}");
        }
    }

    #[test]
    fn cuts_close_by_make_no_copies_of_what_moves_little() {
        // Another wall for three frames.
        let place = |n: i32| n + if (30..33).contains(&n) { 700 } else { 0 };
        let scene = scene((0..60).map(|n| frame((place(n), 0), None)));
        assert!((1..60).all(|n| !scene.is_copy(Frame(n))));
    }

    #[test]
    fn a_camera_that_pans_is_measured_and_the_way_back_is_its_inverse() {
        let scene = scene((0..6).map(|n| frame((12 * n, -4 * n), Some(40 + 9 * n))));
        let there = scene.camera(Frame(3), Frame(4));
        let middle = Point::new(320.0, 180.0);
        let moved = there.apply(middle) - middle;
        assert!(moved.distance(Point::new(-12.0, 4.0)) < 0.5, "{moved:?}");
        let back = scene.camera(Frame(4), Frame(3));
        assert!(back.apply(there.apply(middle)).distance(middle) < 1e-6);
    }

    #[test]
    fn the_empty_scene_shows_nobody_and_tells_who_stands_before_it() {
        let frames: Vec<Plane> = (0..60).map(|n| frame((0, 0), Some(9 * n - 20))).collect();
        let plate = scene(frames.iter().cloned()).plate(all(60), SIZE).expect("the camera stands still");
        let window = |n: usize| -> Window { frames[n].window(PixelRect { left: 0, top: 0, right: 640, bottom: 360 }) };
        let at = |x: i32| Point::new(f64::from(x), 200.0);
        let (walker, wall) = (9 * 20 - 20 + 20, 500);
        let occupied = plate.difference(&window(20), at(walker), 25.0).unwrap();
        let empty = plate.difference(&window(20), at(wall), 25.0).unwrap();
        assert!(occupied > 0.5 && empty < 0.1, "{occupied} {empty}");
        let panned = scene((0..60).map(|n| frame((5 * n, 0), None)));
        assert!(panned.plate(all(60), SIZE).is_none(), "a camera that moves has no empty scene");
    }

    #[test]
    fn a_red_coat_makes_a_film_coloured_and_what_coding_leaves_over_does_not() {
        let chroma =
            |level: u8, share: u32| Plane::from_fn(Size::new(100, 40), |col, _| if col < share { level } else { 128 });
        let coloured = |chroma: Plane| {
            let mut finder = SceneFinder::default();
            finder.push_chroma(&chroma);
            finder.finish().is_coloured()
        };
        assert!(coloured(chroma(170, 4)));
        assert!(!coloured(chroma(132, 90)) && !coloured(chroma(170, 1)));
    }

    #[test]
    fn black_borders_are_no_part_of_the_picture() {
        let bordered = |n: i32| {
            let plain = frame((3 * n, 0), None);
            Plane::from_fn(
                SIZE,
                |col, row| {
                    if (48..592).contains(&col) { plain.row(row as usize)[col as usize] } else { 14 }
                },
            )
        };
        let inside = scene((0..10).map(bordered)).inside(all(10), SIZE);
        // The small pixel next to a border, and one more pixel, may be blurred.
        assert_eq!(inside, PixelRect { left: 51, top: 0, right: 589, bottom: 360 });
        let tiny = Size::new(7, 5);
        let black = (0..3).map(|_| Plane::from_fn(tiny, |col, _| if col == 3 { 90 } else { 0 }));
        assert_eq!(scene(black).inside(all(3), tiny), PixelRect { left: 0, top: 0, right: 7, bottom: 5 });
        let plain = scene((0..10).map(|n| frame((3 * n, 0), None))).inside(all(10), SIZE);
        assert_eq!(plain, PixelRect { left: 0, top: 0, right: 640, bottom: 360 });
    }

    #[test]
    fn a_scene_survives_its_file_and_nothing_else_is_taken_for_one() {
        let scene = scene((0..8).map(|n| frame((7 * n, 0), Some(20 * n))));
        let bytes = scene.to_bytes();
        assert_eq!(Scene::from_bytes(&bytes), Some(scene));
        assert_eq!(Scene::from_bytes(&bytes[..bytes.len() - 1]), None);
        assert_eq!(Scene::from_bytes(b"jamplan1"), None);
        let unknown = Scene::default();
        assert_eq!(Scene::from_bytes(&unknown.to_bytes()), Some(unknown));
    }
}
