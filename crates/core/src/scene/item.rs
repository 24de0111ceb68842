//! An attachment on its subject, ready to be evaluated on any frame.

use super::boundary::PlacedBoundary;
use super::drawable::{Drawable, exposures};
use super::flare::PlacedFlare;
use super::item_context::ItemContext;
use super::keyed::Keyed;
use super::label::PlacedLabel;
use super::passing::Passing;
use super::picture::{PlacedClip, PlacedPicture};
use super::stance::stance;
use super::{cover, foreground, sparks};
use crate::attachment::{Attachment, Cover, ForegroundMatte, Orientation, Placement, Sparks};
use crate::geometry::{Homography, Point, Rect, Size};
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
pub(super) struct SceneItem {
    /// The attachment as it was set.
    pub attachment: Attachment,
    /// What it is from a frame on, in order. More than one only while keyframes change its settings.
    pub states: Vec<(Frame, ItemState)>,
}

impl SceneItem {
    /// `None` without a state.
    pub fn new(attachment: &Attachment, mut states: Vec<(Frame, ItemState)>) -> Option<Self> {
        let kept = match &states.first()?.1.body {
            Body::Label(label) if label.label.placement == Placement::Auto => Some(label.offset),
            _ => None,
        };
        // Its place was found for the first state; another would be a jump.
        for (_, state) in &mut states {
            if let (Some(offset), Body::Label(label)) = (kept, &mut state.body) {
                label.offset = offset;
            }
        }
        Some(Self { attachment: attachment.clone(), states })
    }

    /// Before the first state it is as it is there.
    pub fn on(&self, frame: Frame) -> &ItemState {
        let begun = self.states.partition_point(|(from, _)| *from <= frame);
        &self.states[begun.saturating_sub(1)].1
    }

    /// What never changes is the same in all states.
    pub fn first(&self) -> &ItemState {
        &self.states[0].1
    }
}

/// What an attachment is for some frames.
#[derive(Debug)]
pub(super) struct ItemState {
    pub context: ItemContext,
    pub body: Body,
}

/// Its kind, with what was resolved for it.
#[derive(Debug)]
pub(super) enum Body {
    Label(PlacedLabel),
    Boundary(PlacedBoundary),
    Picture(PlacedPicture),
    FilmClip(PlacedClip),
    Flare(PlacedFlare),
    Cover(Cover),
    Sparks(Sparks),
    Foreground(ForegroundMatte),
}

impl ItemState {
    /// What to paint on a frame, from back to front. A label is moved by `pushed`, so that it keeps apart from others.
    pub fn drawables(&self, frame: Frame, stage: &Stage<'_>, pushed: Point) -> Vec<Drawable> {
        let Some(span) = self.span_on(frame) else { return Vec::new() };
        let context = &self.context;
        let drawables = match &self.body {
            Body::Label(label) => label.drawables(context, frame, stage.picture, pushed),
            Body::Boundary(boundary) => boundary.drawables(context, frame, *span),
            Body::Picture(picture) => picture.drawables(context, frame, stage.picture),
            Body::FilmClip(clip) => clip.drawables(context, frame, stage.picture),
            Body::Flare(flare) => flare.drawables(context, frame),
            Body::Cover(settings) => cover::drawables(settings, context, frame),
            Body::Sparks(settings) => sparks::drawables(settings, context, frame),
            Body::Foreground(matte) => foreground::drawables(matte, context, frame),
        };
        drawables.map(|drawables| self.acted(drawables, frame, *span, stage)).unwrap_or_default()
    }

    /// The span in which it is shown on a frame; sparks that stay behind outlast theirs.
    fn span_on(&self, frame: Frame) -> Option<&FrameRange> {
        let after = match &self.body {
            Body::Sparks(sparks) if sparks.stays => sparks.longest_life(),
            _ => 0,
        };
        let holds = |span: &&FrameRange| span.first <= frame && frame.0 <= span.last.0.saturating_add(after);
        self.context.spans.iter().rev().find(holds)
    }

    /// Whether entrances and exits are its own: a boundary line is drawn on and off, what stands in front was always
    /// there, sparks begin and go out one by one.
    fn comes_by_itself(&self) -> bool {
        matches!(self.body, Body::Boundary(_) | Body::Foreground(_) | Body::Sparks(_))
    }

    /// With entrance, exit, keyframes and blur from motion.
    fn acted(&self, drawables: Vec<Drawable>, frame: Frame, span: FrameRange, stage: &Stage<'_>) -> Vec<Drawable> {
        let keyed = Keyed::on(&self.context.show.keys, frame);
        let show = &self.context.show;
        let transitions = if self.comes_by_itself() { None } else { Some((&show.enters, &show.leaves)) };
        let passing = transitions.map(|transitions| Passing::on(frame, span, stage.range, transitions));
        let size = keyed.size * passing.map_or(1.0, |passing| passing.size);
        let opacity = keyed.opacity * passing.map_or(1.0, |passing| passing.opacity);
        if size <= 0.0 {
            return Vec::new();
        }
        let bounds = drawables.iter().filter_map(|drawable| drawable.primitive.bounds(stage.sizes)).reduce(Rect::with);
        let bounds = bounds.unwrap_or(Rect::centred(Point::default(), 0.0, 0.0));
        let slid = passing.map_or(Point::default(), |passing| passing.shift(bounds, stage.picture));
        let map = about(bounds.middle(), size, keyed.rotation, keyed.moved + slid);
        let exposures = self.smear(frame).map(exposures).unwrap_or_default();
        let act = |drawable: Drawable| Drawable {
            primitive: map.as_ref().map_or(drawable.primitive.clone(), |map| drawable.primitive.mapped(map)),
            opacity: drawable.opacity * opacity,
            exposures: exposures.clone(),
            ..drawable
        };
        drawables.into_iter().map(act).collect()
    }

    /// How far it moves while the shutter is open.
    fn smear(&self, frame: Frame) -> Option<Point> {
        // What shows the film's own picture has its blur already.
        if self.context.show.shutter == 0.0 || matches!(self.body, Body::Cover(_) | Body::Foreground(_)) {
            return None;
        }
        let at = |frame: Frame| {
            let moved = Keyed::on(&self.context.show.keys, frame).moved;
            Some(stance(&self.context.show.takes, Orientation::default(), &self.context.poses, frame)?.origin() + moved)
        };
        let (now, before, after) =
            (at(frame)?, frame.0.checked_sub(1).and_then(|n| at(Frame(n))), at(Frame(frame.0 + 1)));
        let speed = match (before, after) {
            (Some(before), Some(after)) => (after - before) * 0.5,
            (Some(before), None) => now - before,
            (None, Some(after)) => after - now,
            (None, None) => return None,
        };
        Some(speed * (self.context.show.shutter / 360.0)).filter(|smear| smear.length() >= 0.5)
    }
}

/// Grown and turned about a place, then moved; `None` when that changes nothing.
fn about(middle: Point, size: f64, rotation: f64, moved: Point) -> Option<Homography> {
    if size == 1.0 && rotation == 0.0 && moved == Point::default() {
        return None;
    }
    let (sin, cos) = rotation.to_radians().sin_cos();
    let turned = Homography::new([[size * cos, -size * sin, 0.0], [size * sin, size * cos, 0.0], [0.0, 0.0, 1.0]]);
    Some(Homography::shift(middle + moved).after(&turned).after(&Homography::shift(middle * -1.0)))
}
