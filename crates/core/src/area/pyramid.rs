//! A part of a frame in full size, half of it, and so on.

use crate::geometry::{PixelRect, Rect, Size};
use crate::image::{Component, FrameSource, SmoothPatch, Window};
use crate::time::Frame;

/// Halvings at most.
pub(super) const MOST_LEVELS: usize = 6;
/// A level with fewer pixels to a side is none.
const LEAST_SIDE: u32 = 8;

/// Smooth patches of one part of a frame; level `n` has one pixel for `2^n` of the picture.
pub(super) struct Pyramid {
    levels: Vec<SmoothPatch>,
    windows: Vec<Window>,
}

impl Pyramid {
    /// Of what lies in `part`, with room round it, as far as it is in the picture. `None` where nothing is.
    pub fn read<S: FrameSource>(source: &mut S, frame: Frame, part: Rect) -> Result<Option<Self>, S::Error> {
        let Some(rect) = even_rect(part, source.size()) else { return Ok(None) };
        let mut windows = vec![source.window(frame, rect, Component::Luma)?];
        while windows.len() < MOST_LEVELS {
            let last = &windows[windows.len() - 1];
            let size = last.plane.size();
            if size.width.min(size.height) < 2 * LEAST_SIDE || last.left % 2 != 0 || last.top % 2 != 0 {
                break;
            }
            windows.push(last.halved());
        }
        let smooth = |window: &Window| {
            let mut patch = SmoothPatch::default();
            patch.load(window, whole(window));
            patch
        };
        Ok(Some(Self { levels: windows.iter().map(smooth).collect(), windows }))
    }

    /// The patch of a level, or of the coarsest there is.
    pub fn level(&self, level: usize) -> (usize, &SmoothPatch) {
        let level = level.min(self.levels.len() - 1);
        (level, &self.levels[level])
    }

    /// The pixels of a level, or of the coarsest there is.
    pub fn window(&self, level: usize) -> (usize, &Window) {
        let level = level.min(self.windows.len() - 1);
        (level, &self.windows[level])
    }
}

fn whole(window: &Window) -> PixelRect {
    let size = window.plane.size();
    let (left, top) = (window.left, window.top);
    PixelRect { left, top, right: left + size.width as i32, bottom: top + size.height as i32 }
}

/// The part of the picture in a box, from a corner that can be halved on every level.
fn even_rect(part: Rect, size: Size) -> Option<PixelRect> {
    let step = 1 << (MOST_LEVELS - 1);
    let down = |value: f64| ((value.clamp(-1e6, 1e6) as i32).div_euclid(step) * step).max(0);
    let rect = PixelRect {
        left: down(part.left),
        top: down(part.top),
        right: (part.right.clamp(-1e6, 1e6).ceil() as i32).min(size.width as i32),
        bottom: (part.bottom.clamp(-1e6, 1e6).ceil() as i32).min(size.height as i32),
    };
    let least = 2 * LEAST_SIDE as i32;
    (rect.right - rect.left >= least && rect.bottom - rect.top >= least).then_some(rect)
}
