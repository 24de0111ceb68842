//! The style of an attachment, taken over by another of its kind.

use super::boundary::Boundary;
use super::cover::{Cover, CoverShape};
use super::film_clip::FilmClip;
use super::flare::Flare;
use super::foreground::ForegroundMatte;
use super::kind::{Attachment, AttachmentKind};
use super::label::Label;
use super::show::Show;
use super::sparks::Sparks;

impl Attachment {
    /// This attachment in the style of another of the same kind: what it says, where it is and when it is shown stays
    /// its own. `None` for another kind.
    pub fn in_style_of(&self, other: &Self) -> Option<Self> {
        let kind = match (&self.kind, &other.kind) {
            (AttachmentKind::Label(own), AttachmentKind::Label(style)) => {
                AttachmentKind::Label(Box::new(label(own, style)))
            }
            (AttachmentKind::Boundary(own), AttachmentKind::Boundary(style)) => {
                let text =
                    own.label.as_ref().map(|own| style.label.as_ref().map_or(own.clone(), |style| label(own, style)));
                AttachmentKind::Boundary(Box::new(Boundary {
                    corners: own.corners.clone(),
                    closed: own.closed,
                    label: text,
                    label_at: own.label_at,
                    ..(**style).clone()
                }))
            }
            (AttachmentKind::Picture(own), AttachmentKind::Picture(_)) => AttachmentKind::Picture(own.clone()),
            (AttachmentKind::FilmClip(own), AttachmentKind::FilmClip(style)) => {
                let (speed, at_end, key) = (style.speed, style.at_end, style.key.clone());
                AttachmentKind::FilmClip(Box::new(FilmClip { speed, at_end, key, ..(**own).clone() }))
            }
            (AttachmentKind::Flare(own), AttachmentKind::Flare(style)) => {
                AttachmentKind::Flare(Flare { place: own.place, ..style.clone() })
            }
            (AttachmentKind::Sparks(own), AttachmentKind::Sparks(style)) => {
                let (place, corners, closed) = (own.place, own.corners.clone(), own.closed);
                AttachmentKind::Sparks(Sparks { place, corners, closed, ..style.clone() })
            }
            (AttachmentKind::Cover(own), AttachmentKind::Cover(style)) => AttachmentKind::Cover(Cover {
                place: own.place,
                size: own.size,
                rotation: own.rotation,
                orientation: own.orientation,
                outline: if matches!(own.outline, CoverShape::Drawn(_)) { &own.outline } else { &style.outline }
                    .clone(),
                ..style.clone()
            }),
            (AttachmentKind::Foreground(own), AttachmentKind::Foreground(style)) => {
                AttachmentKind::Foreground(ForegroundMatte {
                    feather: style.feather,
                    brightness: style.brightness,
                    ..own.clone()
                })
            }
            _ => return None,
        };
        let Show { on, first, last, keys, .. } = self.show.clone();
        let show = Show { on, first, last, keys, ..other.show.clone() };
        Some(Self { id: self.id, look: other.look.clone(), show, kind })
    }
}

fn label(own: &Label, style: &Label) -> Label {
    let Label { placement, rotation, lies, .. } = *own;
    let mut dressed = Label { text: own.text.clone(), placement, rotation, lies, ..style.clone() };
    dressed.orientation.since = own.orientation.since;
    dressed.second = own.second.clone().map(|mut second| {
        if let Some(style) = &style.second {
            second.size = style.size;
            second.colour = style.colour.clone();
        }
        second
    });
    dressed
}

#[cfg(test)]
mod tests {
    use uuid::Uuid;

    use super::super::{AnimatedProperty, Blend, Placement, PropertyKeyframe};
    use super::*;
    use crate::geometry::Point;
    use crate::path::Easing;
    use crate::time::Frame;

    #[test]
    fn a_label_takes_the_looks_but_keeps_its_text_place_and_time() {
        let key = PropertyKeyframe {
            property: AnimatedProperty::Rotation,
            frame: Frame(3),
            value: 5.0,
            easing: Easing::LINEAR,
        };
        let mut own = Attachment::label(Uuid::from_u128(1), Label::named("Guard"));
        own.show.first = Some(Frame(20));
        own.show.keys = vec![key.clone()];
        let styled = Label {
            size: 40.0,
            colour: "#ffee00".into(),
            box_style: None,
            placement: Placement::Offset(Point::new(5.0, 6.0)),
            ..Label::named("Driver")
        };
        let mut style = Attachment::label(Uuid::from_u128(2), styled);
        style.show.blend = Blend::Screen;
        style.look = Some("names".into());
        let dressed = own.in_style_of(&style).unwrap();
        let AttachmentKind::Label(label) = &dressed.kind else { panic!() };
        assert_eq!((label.text.as_deref(), label.size, label.placement), (Some("Guard"), 40.0, Placement::Auto));
        assert!(label.box_style.is_none());
        assert_eq!((dressed.id, dressed.show.first, dressed.show.blend), (own.id, Some(Frame(20)), Blend::Screen));
        assert_eq!((dressed.show.keys, dressed.look), (vec![key], Some("names".into())));
        let flare = Flare::looks(crate::geometry::Size::new(100, 100)).swap_remove(0).flare;
        let other = Attachment { kind: AttachmentKind::Flare(flare), ..style };
        assert_eq!(own.in_style_of(&other), None);
    }
}
