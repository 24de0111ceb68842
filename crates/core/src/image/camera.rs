//! How a camera moved from one frame to the next.

use super::sweep::BlockMove;
use crate::geometry::Point;

/// Share of the blocks that have to agree on what the camera does.
const BELIEVED: f64 = 0.4;

/// How a camera moved from one frame to the next: `to = (scale, turn) * from + shift`, in pixels of the picture.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct CameraMove {
    /// Scale times the cosine of the rotation.
    pub along: f64,
    /// Scale times its sine.
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

    /// This, then another.
    pub fn then(&self, next: &Self) -> Self {
        let (along, across) = (self.along, self.across);
        Self {
            along: next.along * along - next.across * across,
            across: next.along * across + next.across * along,
            shift: next.apply(self.shift),
        }
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

    /// What most of the blocks did (RANSAC, Fischler & Bolles 1981, over all pairs: there are few); `None` when too few
    /// agree.
    pub(super) fn of_most(blocks: &[BlockMove], within: f64) -> Option<Self> {
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
