//! What a film does as a whole: how its camera moves, how much each frame differs from the one before, and what the scene looks like
//! when nobody is in it. Found while its frames go by.

use std::collections::BTreeMap;

use super::sweep::BlockMove;
use super::{Plane, SweepFinder};
use crate::geometry::{PixelRect, Point, Size};
use crate::time::{Frame, FrameRange};

/// Widest small copy that differences and the empty scene are kept at, in pixels: a head of 25 pixels in a picture of 640 is 12 there.
const SMALL_WIDTH: u32 = 480;
/// Side of the blocks whose difference is measured, in small pixels.
const BLOCK: usize = 16;
/// Small copies that are kept of a film at most; when there are more, every second one goes.
const MOST_KEPT: usize = 120;
/// Frames that the empty scene is made of; fewer than a third of that do not show it.
const PLATE_FRAMES: usize = 41;
/// A pixel belongs to the empty scene where this share of the frames agree on it ...
const AGREE: f64 = 0.65;
/// ... within so many grey levels.
const AGREE_WITHIN: u8 = 16;
/// A camera that moves by less than this, in small pixels of [`SweepFinder`] a frame, stands still: measuring is not more exact.
const STILL: f64 = 0.6;
/// Share of the blocks that have to agree on what the camera does.
const BELIEVED: f64 = 0.4;
/// They agree when they are off by less than this share of the picture's width.
const AGREE_SHARE: f64 = 0.004;

/// How a camera moved from one frame to the next: `to = (scale, turn) * from + shift`, in pixels of the picture.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct CameraMove {
    /// Growth times the cosine of the turn.
    pub along: f64,
    /// Growth times its sine.
    pub across: f64,
    /// Where the picture's origin goes.
    pub shift: Point,
}

impl CameraMove {
    /// No motion.
    pub const NONE: Self = Self { along: 1.0, across: 0.0, shift: Point::new(0.0, 0.0) };

    /// Where a point of the background goes.
    pub fn apply(&self, at: Point) -> Point {
        let turned = Point::new(self.along * at.x - self.across * at.y, self.across * at.x + self.along * at.y);
        turned + self.shift
    }

    /// The way back.
    pub fn inverse(&self) -> Self {
        let over = 1.0 / (self.along * self.along + self.across * self.across).max(1e-12);
        let back = Self { along: self.along * over, across: -self.across * over, shift: Point::default() };
        Self { shift: back.apply(self.shift) * -1.0, ..back }
    }

    /// Through two blocks; `None` when they lie together.
    fn through(a: &BlockMove, b: &BlockMove) -> Option<Self> {
        let (from, to) = (b.from - a.from, b.from + b.by - a.from - a.by);
        let length = from.x * from.x + from.y * from.y;
        if length < 1.0 {
            return None;
        }
        let along = (to.x * from.x + to.y * from.y) / length;
        let across = (to.y * from.x - to.x * from.y) / length;
        let turned = Self { along, across, shift: Point::default() };
        Some(Self { shift: a.from + a.by - turned.apply(a.from), ..turned })
    }

    /// Nearest to all of these (least squares).
    fn nearest(blocks: &[&BlockMove]) -> Option<Self> {
        let share = 1.0 / blocks.len().max(1) as f64;
        let mean =
            |of: &dyn Fn(&BlockMove) -> Point| blocks.iter().fold(Point::default(), |sum, b| sum + of(b)) * share;
        let (from, to) = (mean(&|b| b.from), mean(&|b| b.from + b.by));
        let (mut along, mut across, mut length) = (0.0, 0.0, 0.0);
        for block in blocks {
            let (a, b) = (block.from - from, block.from + block.by - to);
            along += a.x * b.x + a.y * b.y;
            across += a.x * b.y - a.y * b.x;
            length += a.x * a.x + a.y * a.y;
        }
        if length < 1.0 {
            return None;
        }
        let turned = Self { along: along / length, across: across / length, shift: Point::default() };
        Some(Self { shift: to - turned.apply(from), ..turned })
    }

    /// What most of the blocks did (RANSAC, Fischler & Bolles 1981, over all pairs: there are few); `None` when too few agree.
    fn of_most(blocks: &[BlockMove], within: f64) -> Option<Self> {
        let agrees =
            |camera: &Self, block: &BlockMove| camera.apply(block.from).distance(block.from + block.by) < within;
        let count = |camera: &Self| blocks.iter().filter(|block| agrees(camera, block)).count();
        let pairs = (0..blocks.len()).flat_map(|i| (i + 1..blocks.len()).map(move |j| (i, j)));
        let all = pairs.filter_map(|(i, j)| Self::through(&blocks[i], &blocks[j]));
        let (most, best) =
            all.map(|camera| (count(&camera), camera)).fold(None, |best: Option<(usize, Self)>, this| {
                if best.is_none_or(|best| this.0 > best.0) { Some(this) } else { best }
            })?;
        let agreeing: Vec<&BlockMove> = blocks.iter().filter(|block| agrees(&best, block)).collect();
        let enough = most >= 3 && most as f64 >= BELIEVED * blocks.len() as f64;
        if enough { Self::nearest(&agreeing) } else { None }
    }
}

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
    /// Small copies of some frames.
    kept: BTreeMap<Frame, SmallCopy>,
}

/// A picture made smaller by whole pixels.
#[derive(Clone, Debug, PartialEq)]
struct SmallCopy {
    width: u32,
    height: u32,
    data: Vec<u8>,
}

/// What never gets lighter than this, in grey levels, at the sides of all frames is a black border and no part of the picture.
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

    /// How fast the picture as a whole moves, in pixels a frame, one number a frame.
    pub fn speeds(&self) -> &[f32] {
        self.sweep.speeds()
    }

    /// What was found.
    pub fn finish(self) -> Scene {
        self.scene
    }
}

impl SmallCopy {
    /// Means over squares.
    fn of(plane: &Plane, cell: u32) -> Self {
        let size = plane.size();
        let (width, height) = ((size.width / cell).max(1) as usize, (size.height / cell).max(1) as usize);
        let cell = cell as usize;
        let mut data = Vec::with_capacity(width * height);
        let mut sums = vec![0u32; width];
        for row in 0..height {
            sums.fill(0);
            for line in row * cell..(row + 1) * cell {
                for (sum, pixels) in sums.iter_mut().zip(plane.row(line).chunks_exact(cell)) {
                    *sum += pixels.iter().map(|&pixel| u32::from(pixel)).sum::<u32>();
                }
            }
            let area = (cell * cell) as u32;
            data.extend(sums.iter().map(|sum| ((sum + area / 2) / area) as u8));
        }
        Self { width: width as u32, height: height as u32, data }
    }

    fn most_different(&self, other: &Self) -> f32 {
        let (width, height) = (self.width as usize, self.height as usize);
        let mut most: f32 = 0.0;
        for top in (0..height).step_by(BLOCK) {
            let bottom = (top + BLOCK).min(height);
            let mut sums = vec![0u32; width.div_ceil(BLOCK)];
            for row in top..bottom {
                let part = row * width..(row + 1) * width;
                for (col, (a, b)) in self.data[part.clone()].iter().zip(&other.data[part]).enumerate() {
                    sums[col / BLOCK] += u32::from(a.abs_diff(*b));
                }
            }
            for (block, sum) in sums.iter().enumerate() {
                let cols = (width - block * BLOCK).min(BLOCK);
                most = most.max(*sum as f32 / (cols * (bottom - top)) as f32);
            }
        }
        most
    }
}

/// A copied frame differs less than this share of what frames around it differ ...
const COPY: f32 = 0.12;
/// ... the larger ones of which count: this share of them is below.
const COPY_AGAINST: f64 = 0.75;
/// Frames to each side that say what is usual there.
const COPY_WITHIN: usize = 12;
/// And those that say what the pace is.
const PACE_WITHIN: usize = 15;

const MAGIC: &[u8] = b"jamscen1";
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

    fn most(&self, frame: Frame) -> f32 {
        self.changes.get(frame.0 as usize).map_or(0.0, |change| change.most)
    }

    /// As bytes, for a file beside the film's planes: what [`Scene::from_bytes`] reads. All numbers are little-endian.
    pub fn to_bytes(&self) -> Vec<u8> {
        let (width, height) = self.kept.values().next().map_or((0, 0), |small| (small.width, small.height));
        let mut out = MAGIC.to_vec();
        for number in [self.cell, width, height, self.changes.len() as u32, self.kept.len() as u32] {
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
        let mut head = [0u32; 5];
        for number in &mut head {
            *number = u32::from_le_bytes(take(4)?.try_into().ok()?);
        }
        let [cell, width, height, frames, kept] = head;
        let mut scene = Self { cell, ..Self::default() };
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
        let inner = |from: usize, back: usize, length: i32| {
            let end = if back == 0 { length } else { length - back as i32 * cell };
            (from as i32 * cell, end)
        };
        let ((left, right), (top, bottom)) = (inner(left, right, whole.right), inner(top, bottom, whole.bottom));
        PixelRect { left, top, right, bottom }
    }

    /// The scene without those who pass through, as these frames show it; `None` where the camera moves, or too few of them are known.
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

/// The scene with nobody in it: the median of many frames of a camera that stands still.
#[derive(Clone, Debug)]
pub struct Plate {
    cell: u32,
    width: usize,
    height: usize,
    data: Vec<u8>,
    /// Where the frames agree.
    sure: Vec<bool>,
}

/// A difference of so many grey levels is half of one.
const HALF_DIFFERENT: f32 = 14.0;

impl Plate {
    fn of(frames: &[&SmallCopy], cell: u32) -> Self {
        let (width, height) = (frames[0].width as usize, frames[0].height as usize);
        let (mut data, mut sure) = (Vec::with_capacity(width * height), Vec::with_capacity(width * height));
        let mut values: Vec<u8> = vec![0; frames.len()];
        for i in 0..width * height {
            values.iter_mut().zip(frames).for_each(|(value, frame)| *value = frame.data[i]);
            let middle = values.len() / 2;
            let median = *values.select_nth_unstable(middle).1;
            let agree = values.iter().filter(|value| value.abs_diff(median) <= AGREE_WITHIN).count();
            data.push(median);
            sure.push(agree as f64 >= AGREE * frames.len() as f64);
        }
        Self { cell, width, height, data, sure }
    }

    /// How much of a box of the picture is not as it is when empty, 0 to 1, its middle counting most; `None` where less than half of it is
    /// known. Light that has changed on all of the window is taken out.
    pub(crate) fn difference(&self, window: &super::Window, middle: Point, side: f64) -> Option<f64> {
        let offset = self.light(window)?;
        let (mut known, mut all, mut different) = (0.0, 0.0, 0.0);
        for (col, row) in self.cells(middle, side)? {
            let cell = f64::from(self.cell);
            let at = Point::new((col as f64 + 0.5) * cell, (row as f64 + 0.5) * cell);
            let off = at.distance(middle) / side;
            let weight = (-off * off * 8.0).exp();
            all += weight;
            let Some(off) = self.off(window, col, row).map(|off| off - offset) else { continue };
            known += weight;
            different += weight * f64::from(off * off / (off * off + HALF_DIFFERENT * HALF_DIFFERENT));
        }
        (known * 2.0 > all).then(|| different / known)
    }

    /// How much lighter the window is than the empty scene, in grey levels (median); `None` where nothing of it is known.
    fn light(&self, window: &super::Window) -> Option<f32> {
        let size = window.plane.size();
        let middle = Point::new(
            f64::from(window.left) + f64::from(size.width) / 2.0,
            f64::from(window.top) + f64::from(size.height) / 2.0,
        );
        let cells = self.cells(middle, f64::from(size.width.max(size.height)))?;
        let mut all: Vec<f32> = cells.filter_map(|(col, row)| self.off(window, col, row)).collect();
        let middle = all.len() / 2;
        (!all.is_empty()).then(|| *all.select_nth_unstable_by(middle, f32::total_cmp).1)
    }

    /// How much lighter the window is than the empty scene in a small pixel; `None` where that is not known.
    fn off(&self, window: &super::Window, col: usize, row: usize) -> Option<f32> {
        let value = self.small(window, col, row).filter(|_| self.sure[row * self.width + col])?;
        Some(value - f32::from(self.data[row * self.width + col]))
    }

    /// The small pixels of a box; `None` when it is outside.
    fn cells(&self, middle: Point, side: f64) -> Option<impl Iterator<Item = (usize, usize)> + use<>> {
        let cell = f64::from(self.cell);
        let (first_col, last_col) = cells(middle.x, side, cell, self.width)?;
        let (first_row, last_row) = cells(middle.y, side, cell, self.height)?;
        Some((first_row..=last_row).flat_map(move |row| (first_col..=last_col).map(move |col| (col, row))))
    }

    /// Mean of the picture over a small pixel; `None` where the window does not hold all of it.
    fn small(&self, window: &super::Window, col: usize, row: usize) -> Option<f32> {
        let cell = self.cell as i32;
        let (left, top) = (col as i32 * cell - window.left, row as i32 * cell - window.top);
        let size = window.plane.size();
        if left < 0 || top < 0 || left + cell > size.width as i32 || top + cell > size.height as i32 {
            return None;
        }
        let line = |row: i32| &window.plane.row(row as usize)[left as usize..(left + cell) as usize];
        let sum: u32 = (top..top + cell).flat_map(line).map(|&pixel| u32::from(pixel)).sum();
        Some(sum as f32 / (cell * cell) as f32)
    }
}

fn cells(middle: f64, side: f64, cell: f64, count: usize) -> Option<(usize, usize)> {
    let first = ((middle - side / 2.0) / cell).round().max(0.0) as usize;
    let last = ((middle + side / 2.0) / cell).round() - 1.0;
    (last >= first as f64 && first < count).then(|| (first, (last as usize).min(count - 1)))
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
    fn copies_are_told_from_frames() {
        let scene = scene((0..30).map(|n| frame((2 * (n / 3), 0), None)));
        let copies: Vec<bool> = (1..30).map(|n| scene.is_copy(Frame(n))).collect();
        assert!((1..30).all(|n| copies[n - 1] == (n % 3 != 0)), "{copies:?}");
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
        assert_eq!(inside, PixelRect { left: 48, top: 0, right: 592, bottom: 360 });
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
