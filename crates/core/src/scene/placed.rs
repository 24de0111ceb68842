//! An attachment on its subject, ready to be evaluated on any frame.

use std::sync::Arc;

use super::captioned::PlacedLabel;
use super::drawable::exposures;
use super::drawn::PlacedBoundary;
use super::flare::PlacedFlare;
use super::keyed::Keyed;
use super::passage::Passing;
use super::picture::PlacedPicture;
use super::stance::{Facing, stance};
use super::{Cover, Drawable, Front, Placement, Shape, Show};
use crate::geometry::{Homography, Point, Rect, Size};
use crate::motion::Poses;
use crate::shot::{Attachment, Subject};
use crate::time::{Frame, FrameRange};

/// What is the same for every attachment of a scene.
pub(super) struct Stage<'s> {
    /// The shot.
    pub range: FrameRange,
    pub picture: Size,
    /// Width and height of each artwork.
    pub sizes: &'s [(f64, f64)],
}

/// An attachment over the whole shot.
#[derive(Debug)]
pub(super) struct Hung<'a> {
    /// The attachment as it was set.
    pub set: &'a Attachment,
    /// What it is from a frame on, in order. More than one only while keyframes change its settings.
    pub forms: Vec<(Frame, Placed<'a>)>,
}

impl<'a> Hung<'a> {
    /// `None` without a form.
    pub fn new(set: &'a Attachment, mut forms: Vec<(Frame, Placed<'a>)>) -> Option<Self> {
        let kept = match &forms.first()?.1.body {
            Body::Label(label) if label.label.placement == Placement::Auto => Some(label.offset),
            _ => None,
        };
        // Its place was found for the first form; another would be a jump.
        for (_, form) in &mut forms {
            if let (Some(offset), Body::Label(label)) = (kept, &mut form.body) {
                label.offset = offset;
            }
        }
        Some(Self { set, forms })
    }

    /// Before the first form it is as it is there.
    pub fn on(&self, frame: Frame) -> &Placed<'a> {
        let begun = self.forms.partition_point(|(from, _)| *from <= frame);
        &self.forms[begun.saturating_sub(1)].1
    }

    /// What never changes is the same in all forms.
    pub fn first(&self) -> &Placed<'a> {
        &self.forms[0].1
    }
}

#[derive(Debug)]
pub(super) struct Placed<'a> {
    pub show: Show,
    pub subject: &'a Subject,
    pub poses: Arc<Poses>,
    /// When it is shown.
    pub spans: Vec<FrameRange>,
    pub body: Body,
}

#[derive(Debug)]
pub(super) enum Body {
    Label(PlacedLabel),
    Boundary(PlacedBoundary),
    Picture(PlacedPicture),
    Flare(PlacedFlare),
    Cover(Cover),
    Front(Front),
}

impl Placed<'_> {
    pub fn drawable(&self, shape: Shape, opacity: f64) -> Drawable {
        Drawable {
            shape,
            opacity: opacity * self.show.opacity,
            blend: self.show.blend,
            exposures: Vec::new(),
            lit: None,
        }
    }

    /// What to paint on a frame, from back to front. A label is moved by `pushed`, so that it keeps apart from others.
    pub fn drawables(&self, frame: Frame, stage: &Stage<'_>, pushed: Point) -> Vec<Drawable> {
        let Some(span) = self.spans.iter().find(|span| span.contains(frame)) else { return Vec::new() };
        let drawables = match &self.body {
            Body::Label(label) => label.drawables(self, frame, stage.picture, pushed),
            Body::Boundary(boundary) => boundary.drawables(self, frame, *span),
            Body::Picture(picture) => picture.drawables(self, frame),
            Body::Flare(flare) => flare.drawables(self, frame),
            Body::Cover(cover) => cover.drawables(self, frame),
            Body::Front(front) => front.drawables(self, frame),
        };
        drawables.map(|drawables| self.acted(drawables, frame, *span, stage)).unwrap_or_default()
    }

    /// Whether entrances and exits are its own: a boundary line is drawn on and off, what stands in front was always there.
    fn comes_by_itself(&self) -> bool {
        matches!(self.body, Body::Boundary(_) | Body::Front(_))
    }

    /// With entrance, exit, keyframes and blur from motion.
    fn acted(&self, drawables: Vec<Drawable>, frame: Frame, span: FrameRange, stage: &Stage<'_>) -> Vec<Drawable> {
        let keyed = Keyed::on(&self.show.keys, frame);
        let passages = if self.comes_by_itself() { None } else { Some((&self.show.enters, &self.show.leaves)) };
        let passing = passages.map(|passages| Passing::on(frame, span, stage.range, passages));
        let size = keyed.size * passing.map_or(1.0, |passing| passing.size);
        let opacity = keyed.opacity * passing.map_or(1.0, |passing| passing.opacity);
        if size <= 0.0 {
            return Vec::new();
        }
        let bounds = drawables.iter().filter_map(|drawable| drawable.shape.bounds(stage.sizes)).reduce(Rect::with);
        let bounds = bounds.unwrap_or(Rect::centred(Point::default(), 0.0, 0.0));
        let slid = passing.map_or(Point::default(), |passing| passing.shift(bounds, stage.picture));
        let map = about(bounds.middle(), size, keyed.turn, keyed.moved + slid);
        let exposures = self.smear(frame).map(exposures).unwrap_or_default();
        let act = |drawable: Drawable| Drawable {
            shape: map.as_ref().map_or(drawable.shape.clone(), |map| drawable.shape.mapped(map)),
            opacity: drawable.opacity * opacity,
            exposures: exposures.clone(),
            ..drawable
        };
        drawables.into_iter().map(act).collect()
    }

    /// How far it moves while the shutter is open.
    fn smear(&self, frame: Frame) -> Option<Point> {
        // What shows the film's own picture has its blur already.
        if self.show.shutter == 0.0 || matches!(self.body, Body::Cover(_) | Body::Front(_)) {
            return None;
        }
        let at = |frame: Frame| {
            let moved = Keyed::on(&self.show.keys, frame).moved;
            Some(stance(&self.show.takes, Facing::default(), &self.poses, frame)?.origin() + moved)
        };
        let (now, before, after) =
            (at(frame)?, frame.0.checked_sub(1).and_then(|n| at(Frame(n))), at(Frame(frame.0 + 1)));
        let speed = match (before, after) {
            (Some(before), Some(after)) => (after - before) * 0.5,
            (Some(before), None) => now - before,
            (None, Some(after)) => after - now,
            (None, None) => return None,
        };
        Some(speed * (self.show.shutter / 360.0)).filter(|smear| smear.length() >= 0.5)
    }
}

/// Grown and turned about a place, then moved; `None` when that changes nothing.
fn about(middle: Point, size: f64, turn: f64, moved: Point) -> Option<Homography> {
    if size == 1.0 && turn == 0.0 && moved == Point::default() {
        return None;
    }
    let (sin, cos) = turn.to_radians().sin_cos();
    let turned = Homography::new([[size * cos, -size * sin, 0.0], [size * sin, size * cos, 0.0], [0.0, 0.0, 1.0]]);
    Some(Homography::shift(middle + moved).after(&turned).after(&Homography::shift(middle * -1.0)))
}
