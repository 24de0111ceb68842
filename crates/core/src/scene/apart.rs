//! Labels that make room for one another.

use std::collections::BTreeMap;

use uuid::Uuid;

use super::placed::Body;
use super::placed::Hung;
use super::{Placed, PlacedLabel};
use crate::geometry::{Point, Rect, Size};
use crate::time::{Frame, FrameRange};

/// Room between two labels, in pixels.
const GAP: f64 = 6.0;
/// Over how many pixels of coming nearer from the side a label makes room, so that it never jumps.
const APPROACH: f64 = 60.0;

/// To which side each label gives way: chosen once for the shot, so that none changes sides on the way.
#[derive(Debug, Default)]
pub(super) struct Apart {
    upward: BTreeMap<Uuid, bool>,
}

/// A label on a frame, and whose it is.
type One<'s, 'a> = (Uuid, &'s Placed<'a>, &'s PlacedLabel);

fn labels<'s, 'a>(items: &'s [Hung<'a>], frame: Frame) -> Vec<One<'s, 'a>> {
    let wishing = |hung: &'s Hung<'a>| {
        let placed = hung.on(frame);
        match &placed.body {
            Body::Label(label) if label.label.keeps_apart => Some((hung.set.id, placed, label)),
            _ => None,
        }
    };
    items.iter().filter_map(wishing).collect()
}

fn rect((_, placed, label): One<'_, '_>, frame: Frame, picture: Size) -> Option<Rect> {
    placed.spans.iter().find(|span| span.contains(frame))?;
    label.rect(placed, frame, picture)
}

impl Apart {
    pub fn new(items: &[Hung<'_>], range: FrameRange, picture: Size) -> Self {
        let mut apart = Self::default();
        for (i, (attachment, ..)) in labels(items, range.first).into_iter().enumerate().skip(1) {
            // Above all of those that it meets, on average, or below.
            let height = |frame: Frame| {
                let labels = labels(items, frame);
                let own = rect(labels[i], frame, picture)?;
                let met = labels[..i].iter().filter_map(|other| rect(*other, frame, picture));
                let met: Vec<f64> = met
                    .filter(|other| closeness(own, *other) > 0.0)
                    .map(|other| own.middle().y - other.middle().y)
                    .collect();
                (!met.is_empty()).then(|| met.iter().sum::<f64>() / met.len() as f64)
            };
            let sum: f64 = range.frames().filter_map(height).sum();
            apart.upward.insert(attachment, sum <= 0.0);
        }
        apart
    }

    /// How far each label is moved on a frame: up or down, past every label before it that it would cover.
    pub fn pushed(&self, items: &[Hung<'_>], frame: Frame, picture: Size) -> BTreeMap<Uuid, Point> {
        let mut pushed = BTreeMap::new();
        let mut taken: Vec<Rect> = Vec::new();
        for one in labels(items, frame) {
            let Some(own) = rect(one, frame, picture) else { continue };
            let upward = self.upward.get(&one.0).copied().unwrap_or(true);
            let mut down = 0.0;
            // Each pass gets past at least one more of them.
            for _ in 0..taken.len() {
                let now = shifted(own, down);
                let wanted = taken.iter().map(|other| room(now, *other, upward)).fold(0.0, f64::max);
                down += if upward { -wanted } else { wanted };
            }
            taken.push(shifted(own, down));
            if down != 0.0 {
                pushed.insert(one.0, Point::new(0.0, down));
            }
        }
        pushed
    }
}

fn shifted(rect: Rect, down: f64) -> Rect {
    Rect { top: rect.top + down, bottom: rect.bottom + down, ..rect }
}

/// How far two boxes are beside each other: 1 when one is above the other, 0 when they are well apart.
fn closeness(a: Rect, b: Rect) -> f64 {
    let between = (a.left - b.right).max(b.left - a.right);
    let t = (1.0 - between / APPROACH).clamp(0.0, 1.0);
    t * t * (3.0 - 2.0 * t)
}

/// How far `own` has to go up or down to leave `other` free.
fn room(own: Rect, other: Rect, upward: bool) -> f64 {
    let overlaps = own.top < other.bottom + GAP && own.bottom > other.top - GAP;
    if !overlaps {
        return 0.0;
    }
    let whole = if upward { own.bottom + GAP - other.top } else { other.bottom + GAP - own.top };
    whole * closeness(own, other)
}
