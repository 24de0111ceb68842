//! Labels that make room for one another.

use std::collections::BTreeMap;

use uuid::Uuid;

use super::item::{Body, SceneItem};
use super::item_context::ItemContext;
use super::label::PlacedLabel;
use crate::geometry::{Point, Rect, Size};
use crate::time::{Frame, FrameRange};

/// Room between two labels, in pixels.
const GAP: f64 = 6.0;
/// Over how many pixels of coming nearer from the side a label makes room, so that it never jumps.
const APPROACH: f64 = 60.0;

/// To which side each label gives way: chosen once for the shot, so that none changes sides on the way.
#[derive(Debug, Default)]
pub(super) struct LabelLayout {
    upward: BTreeMap<Uuid, bool>,
}

/// A label on a frame, and whose it is.
type One<'s> = (Uuid, &'s ItemContext, &'s PlacedLabel);

fn labels(items: &[SceneItem], frame: Frame) -> Vec<One<'_>> {
    let mut labels = Vec::new();
    for item in items {
        let state = item.on(frame);
        if let Body::Label(label) = &state.body
            && label.label.keeps_apart
            && label.label.lies.is_none()
        {
            labels.push((item.attachment.id, &state.context, label));
        }
    }
    labels
}

fn rect((_, item, label): One<'_>, frame: Frame, picture: Size) -> Option<Rect> {
    item.spans.iter().find(|span| span.contains(frame))?;
    label.rect(item, frame, picture)
}

impl LabelLayout {
    pub fn new(items: &[SceneItem], range: FrameRange, picture: Size) -> Self {
        let mut layout = Self::default();
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
            layout.upward.insert(attachment, sum <= 0.0);
        }
        layout
    }

    /// How far each label is moved on a frame: up or down, past every label before it that it would cover.
    pub fn pushed(&self, items: &[SceneItem], frame: Frame, picture: Size) -> BTreeMap<Uuid, Point> {
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
