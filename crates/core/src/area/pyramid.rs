//! A part of a frame in full size, half of it, and so on.

use std::cell::OnceCell;

use super::mask::Mask;
use super::outline::Outline;
use crate::geometry::{PixelRect, Rect, Size};
use crate::image::{Component, FrameSource, Plane, SmoothPatch, Window};
use crate::time::Frame;

/// Halvings at most.
pub(super) const MOST_LEVELS: usize = 6;
/// A level with fewer pixels to a side is none.
const LEAST_SIDE: u32 = 8;

/// Smooth patches of one part of a frame; level `n` has one pixel for `2^n` of the picture. Smoothed when they are first
/// looked at: mostly that is one of them.
pub(crate) struct Pyramid {
    levels: Vec<OnceCell<SmoothPatch>>,
    windows: Vec<Window>,
    mask: Option<Mask>,
}

/// What of a picture is compared.
#[derive(Clone, Copy, PartialEq, Eq)]
pub(crate) enum Looks {
    Brightness,
    /// How fast the brightness changes, whichever way: a plain thing ends where it does, before bright and dark alike.
    Edges,
}

/// One level of a part of a frame.
#[derive(Clone, Copy)]
pub(crate) struct PictureLevel<'a> {
    pub patch: &'a SmoothPatch,
    /// Pixels of the picture, across, in one of the patch.
    pub zoom: f64,
    /// What is not looked at.
    pub mask: Option<&'a Mask>,
}

impl Pyramid {
    /// Of what lies in `part`, with room round it, as far as it is in the picture and outside of all `keep_outs`. `None`
    /// where nothing is.
    pub fn read<S: FrameSource>(
        source: &mut S,
        frame: Frame,
        part: Rect,
        (keep_outs, looks): (&[Outline], Looks),
    ) -> Result<Option<Self>, S::Error> {
        let Some(rect) = even_rect(part, source.size()) else { return Ok(None) };
        let brightness = source.window(frame, rect, Component::Luma)?;
        let mut windows = vec![match looks {
            Looks::Brightness => brightness,
            Looks::Edges => edges(&brightness),
        }];
        while windows.len() < MOST_LEVELS {
            let last = &windows[windows.len() - 1];
            let size = last.plane.size();
            if size.width.min(size.height) < 2 * LEAST_SIDE || last.left % 2 != 0 || last.top % 2 != 0 {
                break;
            }
            windows.push(last.halved());
        }
        Ok(Some(Self { levels: vec![OnceCell::new(); windows.len()], windows, mask: Mask::of(keep_outs, rect) }))
    }

    /// The patch of a level, or of the coarsest there is.
    pub fn level(&self, level: usize) -> PictureLevel<'_> {
        let level = level.min(self.levels.len() - 1);
        let patch = self.levels[level].get_or_init(|| {
            let mut patch = SmoothPatch::default();
            patch.load(&self.windows[level], whole(&self.windows[level]));
            patch
        });
        PictureLevel { patch, zoom: f64::from(1u32 << level), mask: self.mask.as_ref() }
    }

    /// The pixels of a level, or of the coarsest there is.
    pub fn window(&self, level: usize) -> (usize, &Window) {
        let level = level.min(self.windows.len() - 1);
        (level, &self.windows[level])
    }
}

/// The length of the gradient at each pixel (Sobel's operator), twice as large as it is, to the brightest there is.
fn edges(window: &Window) -> Window {
    let size = window.plane.size();
    let plane = Plane::from_fn(size, |col, row| {
        let value = |across: i64, down: i64| {
            let within = |at: u32, by: i64, most: u32| (i64::from(at) + by).clamp(0, i64::from(most) - 1) as usize;
            f64::from(window.plane.row(within(row, down, size.height))[within(col, across, size.width)])
        };
        let slope = |of: &dyn Fn(i64, i64) -> f64| {
            (of(1, -1) + 2.0 * of(1, 0) + of(1, 1)) - (of(-1, -1) + 2.0 * of(-1, 0) + of(-1, 1))
        };
        let (across, down) = (slope(&value), slope(&|a, b| value(b, a)));
        (across.hypot(down) / 4.0).round().min(255.0) as u8
    });
    Window { plane, ..window.clone() }
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
