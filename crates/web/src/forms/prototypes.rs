//! An attachment of each kind with all that it can have: its numbers are asked for their limits.

use jampin_core::attachment::{
    Attachment, AttachmentKind, Boundary, BoxStyle, Brightness, ClipEnd, ColourKey, Corner, Cover, CoverEffect, Edge,
    FilmClip, Flare, ForegroundMatte, Glow, Label, Orientation, Picture, PictureMount, Placement, Second, Shadow,
    Sparks, Streak, Tint,
};
use jampin_core::geometry::{Point, Size};
use jampin_core::time::Frame;
use uuid::Uuid;

pub(super) fn edge() -> Edge {
    Edge { colour: "#101418".into(), width: 2.0 }
}

pub(super) fn shadow() -> Shadow {
    Shadow { colour: "#000000".into(), opacity: 0.55, shift: Point::new(2.0, 3.0), softness: 3.0 }
}

pub(super) fn glow() -> Glow {
    Glow { colour: "#ffffff".into(), reach: 14.0, opacity: 0.6 }
}

pub(super) fn tint() -> Tint {
    Tint { colour: "#56b4e9".into(), opacity: 0.25 }
}

pub(super) fn second() -> Second {
    Second { text: String::new(), size: 0.62, colour: None }
}

/// The text of a boundary line: no box, and no line to anything.
pub(super) fn line_text() -> Label {
    Label { box_style: None, line_width: None, ..Label::new() }
}

pub(super) fn brightness() -> Brightness {
    Brightness { from: 0.0, to: 0.35, softness: 0.1 }
}

pub(super) fn effects() -> [(&'static str, CoverEffect); 5] {
    [
        ("blur", CoverEffect::Blur(12.0)),
        ("mosaic", CoverEffect::Mosaic(16)),
        ("plain colour", CoverEffect::Plain("#202428".into())),
        ("directional blur", CoverEffect::Streak(Streak { length: 40.0, angle: 0.0 })),
        ("less colour", CoverEffect::Saturation(0.15)),
    ]
}

fn attachment(kind: AttachmentKind) -> Attachment {
    Attachment::new(Uuid::nil(), kind)
}

pub(super) fn labels() -> Vec<Attachment> {
    let boxed = Label::new().box_style.map(|style| BoxStyle { border: Some(edge()), ..style });
    let (outline, shadow) = (Some(edge()), Some(shadow()));
    let placement = Placement::Offset(Point::default());
    let full = Label { outline, second: Some(second()), box_style: boxed, shadow, placement, ..Label::new() };
    vec![attachment(AttachmentKind::Label(Box::new(full)))]
}

pub(super) fn boundaries() -> Vec<Attachment> {
    let corners = (1..=4).map(|n| Corner::Pin(Uuid::from_u128(n))).collect();
    let (dashes, glow, tint) = (Some([30.0, 18.0]), Some(glow()), Some(tint()));
    let full = Boundary { dashes, glow, tint, label: Some(line_text()), ..Boundary::through(corners, true) };
    vec![attachment(AttachmentKind::Boundary(Box::new(full)))]
}

/// Facing the camera, then on a face: the same numbers are pixels here and shares there.
pub(super) fn pictures() -> [Vec<Attachment>; 2] {
    let on = |mount| {
        let (picture, place) = (Uuid::nil(), Point::default());
        let picture = Picture { picture, pixels: [100, 100], mount, place, size: [1.0, 1.0], rotation: 0.0 };
        vec![attachment(AttachmentKind::Picture(picture))]
    };
    let corners = [1, 2, 3, 4].map(|n| Corner::Pin(Uuid::from_u128(n)));
    [on(PictureMount::Facing(Orientation::default())), on(PictureMount::Face(corners))]
}

/// Facing the camera, then on a face.
pub(super) fn clips() -> [Vec<Attachment>; 2] {
    pictures().map(|hung| {
        let clip = |one: Attachment| {
            let AttachmentKind::Picture(picture) = one.kind else { return None };
            let (begins, at_end, key) = (Frame(0), ClipEnd::Again, Some(ColourKey::default()));
            let clip = FilmClip { picture, frames: 100, alpha: false, begins, speed: 1.0, at_end, key };
            Some(attachment(AttachmentKind::FilmClip(Box::new(clip))))
        };
        hung.into_iter().filter_map(clip).collect()
    })
}

pub(super) fn flares(size: Size) -> Vec<Attachment> {
    let looks = Flare::looks(size).into_iter().take(1);
    looks.map(|look| attachment(AttachmentKind::Flare(Flare { fades_below: Some(0.5), ..look.flare }))).collect()
}

pub(super) fn sparks() -> Vec<Attachment> {
    vec![attachment(AttachmentKind::Sparks(Sparks::default()))]
}

pub(super) fn covers() -> Vec<Attachment> {
    effects()
        .into_iter()
        .map(|(_, effect)| attachment(AttachmentKind::Cover(Cover { effect, ..Cover::over(80.0, 60.0) })))
        .collect()
}

pub(super) fn fronts() -> Vec<Attachment> {
    let (outline, since) = (Vec::new(), Frame(0));
    let matte = ForegroundMatte { outline, since, rides: true, feather: 1.0, brightness: Some(brightness()) };
    vec![attachment(AttachmentKind::Foreground(matte))]
}
