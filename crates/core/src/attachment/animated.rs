//! Settings of an attachment that keyframes change: the attachment as it is on each frame.

use super::keyframes::{AnimatedProperty, PropertyKeyframe, value_on};
use super::kind::{Attachment, AttachmentKind};
use super::settings::SettingProblem;
use crate::time::{Frame, FrameRange};

/// Most states of an attachment whose artwork changes with its settings: over more frames it changes on every second
/// one, or third.
/// Each is artwork of its own: more would fill the page's memory; fewer are seen as steps.
const MOST_ARTWORKS: u32 = 500;

/// An attachment whose settings change from keyframe to keyframe.
#[derive(Debug)]
pub(crate) struct AnimatedSettings {
    /// The attachment as it was set, without keyframes of settings.
    set: Attachment,
    keyframes: Vec<PropertyKeyframe>,
    /// The settings that change.
    addresses: Vec<String>,
    /// Whether its artwork changes with its settings.
    is_artwork: bool,
}

impl AnimatedSettings {
    /// `None` for an attachment none of whose settings changes.
    pub fn new(attachment: &Attachment) -> Option<Self> {
        let is_setting = |keyframe: &PropertyKeyframe| matches!(keyframe.property, AnimatedProperty::Setting(_));
        let (keyframes, others) = attachment.show.keys.iter().cloned().partition::<Vec<_>, _>(is_setting);
        if keyframes.is_empty() {
            return None;
        }
        let mut set = attachment.clone();
        set.show.keys = others;
        let mut addresses: Vec<String> =
            keyframes.iter().filter_map(|keyframe| keyframe.property.address().map(str::to_owned)).collect();
        addresses.sort_unstable();
        addresses.dedup();
        let is_artwork = matches!(attachment.kind, AttachmentKind::Label(_) | AttachmentKind::Flare(_));
        Some(Self { set, keyframes, addresses, is_artwork })
    }

    /// The frames of a shot on which it changes, in order. Before the first keyframe and after the last it stands
    /// still.
    pub fn changes(&self, shot: FrameRange) -> Vec<Frame> {
        let frames = || self.keyframes.iter().map(|keyframe| keyframe.frame.clamp(shot.first, shot.last));
        let (Some(first), Some(last)) = (frames().min(), frames().max()) else { return Vec::new() };
        let range = FrameRange { first, last };
        let step = if self.is_artwork { range.count().div_ceil(MOST_ARTWORKS) } else { 1 };
        let mut changes: Vec<Frame> = range.frames().step_by(step as usize).collect();
        changes.push(last);
        changes.dedup();
        changes
    }

    /// The attachment on a frame. Settings that are not there, of a glow that was taken away, say, are left alone.
    pub fn on(&self, frame: Frame) -> Attachment {
        let mut attachment = self.set.clone();
        for address in &self.addresses {
            let property = AnimatedProperty::Setting(address.clone());
            if let (Some(number), Some(value)) =
                (attachment.number(address), value_on(&self.keyframes, &property, frame))
            {
                number.set(value);
            }
        }
        attachment
    }
}

impl Attachment {
    /// Checks every setting, and the attachment with each keyframe's value in place of the setting.
    pub fn check(&self) -> Result<(), SettingProblem> {
        self.check_as_set()?;
        let Some(animated) = AnimatedSettings::new(self) else { return Ok(()) };
        for keyframe in &animated.keyframes {
            let mut with = animated.set.clone();
            if let Some(number) = keyframe.property.address().and_then(|address| with.number(address)) {
                let refused = SettingProblem::Keyframe { frame: keyframe.frame, value: keyframe.value };
                number.set(keyframe.value).then_some(()).ok_or(refused)?;
                with.check_as_set()?;
            }
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use serde_json::{Value, json};
    use uuid::Uuid;

    use super::super::{AttachmentKind, Boundary, Corner, Cover, CoverEffect, CoverShape, Glow, Orientation, Sparks};
    use super::*;
    use crate::geometry::Point;
    use crate::path::Easing;

    fn key(path: &str, frame: u32, value: f64) -> PropertyKeyframe {
        PropertyKeyframe {
            property: AnimatedProperty::Setting(path.into()),
            frame: Frame(frame),
            value,
            easing: Easing::LINEAR,
        }
    }

    fn cover(effect: CoverEffect, keys: Vec<PropertyKeyframe>) -> Attachment {
        let cover = Cover {
            outline: CoverShape::Ellipse,
            place: Point::default(),
            size: [40.0, 60.0],
            rotation: 0.0,
            orientation: Orientation::default(),
            feather: 0.0,
            inside_out: false,
            effect,
        };
        let mut attachment = Attachment::new(Uuid::from_u128(1), AttachmentKind::Cover(cover));
        attachment.show.keys = keys;
        attachment
    }

    fn on(attachment: &Attachment, frame: u32) -> Cover {
        let varied = AnimatedSettings::new(attachment).unwrap().on(Frame(frame));
        let AttachmentKind::Cover(cover) = varied.kind else { panic!() };
        cover
    }

    #[test]
    fn any_number_goes_from_keyframe_to_keyframe() {
        let keys = vec![key("effect.blur", 10, 4.0), key("effect.blur", 30, 24.0), key("size.1", 20, 100.0)];
        let attachment = cover(CoverEffect::Blur(12.0), keys);
        assert_eq!(attachment.check(), Ok(()));
        for (n, want) in [(0, 4.0), (10, 4.0), (20, 14.0), (40, 24.0)] {
            let CoverEffect::Blur(blur) = on(&attachment, n).effect else { panic!() };
            assert!((blur - want).abs() < 1e-6, "{blur} on frame {n}");
        }
        assert_eq!((on(&attachment, 0).size, on(&attachment, 5).feather), ([40.0, 100.0], 0.0));
        let shot = |first, last| FrameRange { first: Frame(first), last: Frame(last) };
        let changes = |shot| AnimatedSettings::new(&attachment).unwrap().changes(shot).len();
        assert_eq!([shot(0, 99), shot(25, 99), shot(50, 99)].map(changes), [21, 6, 1]);
    }

    #[test]
    fn what_is_counted_stays_whole() {
        let attachment =
            cover(CoverEffect::Mosaic(16), vec![key("effect.mosaic", 0, 10.0), key("effect.mosaic", 3, 20.0)]);
        assert_eq!([0, 1, 2, 3].map(|n| on(&attachment, n).effect), [10, 13, 17, 20].map(CoverEffect::Mosaic));
    }

    #[test]
    fn the_share_of_the_motion_is_a_number_like_others() {
        let attachment =
            cover(CoverEffect::Blur(9.0), vec![key("show.takes.share", 0, 1.0), key("show.takes.share", 10, 0.0)]);
        let share = AnimatedSettings::new(&attachment).unwrap().on(Frame(5)).show.takes.share;
        assert!((share - 0.5).abs() < 1e-6, "{share}");
    }

    #[test]
    fn values_out_of_range_are_refused_and_what_is_not_there_is_left_alone() {
        let refused = cover(CoverEffect::Blur(9.0), vec![key("effect.blur", 3, 900.0)]).check().unwrap_err();
        assert!(refused.to_string().contains("the blur is 900"), "{refused}");
        assert!(cover(CoverEffect::Mosaic(9), vec![key("effect.mosaic", 3, -4.0)]).check().is_err());
        // A key of the blur stays while the cover is a mosaic, and counts again when it is a blur.
        let other = cover(CoverEffect::Mosaic(9), vec![key("effect.blur", 3, 20.0)]);
        assert_eq!((other.check(), on(&other, 3).effect), (Ok(()), CoverEffect::Mosaic(9)));
    }

    #[test]
    fn without_keyframes_of_settings_there_is_nothing_to_vary() {
        let turn = PropertyKeyframe {
            property: AnimatedProperty::Rotation,
            frame: Frame(3),
            value: 5.0,
            easing: Easing::LINEAR,
        };
        assert!(AnimatedSettings::new(&cover(CoverEffect::Blur(9.0), vec![turn])).is_none());
    }

    #[test]
    fn parts_of_a_line_vary_too() {
        let corners = [1, 2].map(|n| Corner::Pin(Uuid::from_u128(n))).into();
        let glow = Some(Glow { colour: "#ffffff".into(), reach: 10.0, opacity: 0.5 });
        let boundary = Boundary { glow, ..Boundary::through(corners, false) };
        let mut attachment = Attachment::new(Uuid::from_u128(1), AttachmentKind::Boundary(Box::new(boundary)));
        attachment.show.keys = vec![key("glow.reach", 0, 10.0), key("glow.reach", 4, 30.0), key("width", 2, 9.0)];
        let AttachmentKind::Boundary(line) = AnimatedSettings::new(&attachment).unwrap().on(Frame(4)).kind else {
            panic!()
        };
        assert_eq!((line.glow.unwrap().reach, line.width), (30.0, 9.0));
    }

    /// Addresses as keyframes were stored with them. None may ever go from this list: what is stored under it would be
    /// silent.
    const STORED: [(&str, &[&str]); 7] = [
        (
            "label",
            &[
                "size",
                "outline.width",
                "second.size",
                "box.opacity",
                "box.padding",
                "box.radius",
                "box.border.width",
                "shadow.opacity",
                "shadow.shift.x",
                "shadow.shift.y",
                "shadow.softness",
                "line_width",
                "placement.offset.x",
                "placement.offset.y",
                "show.opacity",
                "show.takes.share",
                "show.shutter",
            ],
        ),
        (
            "boundary",
            &[
                "width",
                "softness",
                "dashes.0",
                "dashes.1",
                "glow.reach",
                "glow.opacity",
                "marks",
                "tint.opacity",
                "label.size",
                "drawing.on_frames",
                "drawing.off_frames",
            ],
        ),
        ("picture", &["size.0", "size.1", "place.x", "place.y", "turn"]),
        ("flare", &["size", "rays", "streak", "ring", "ghosts", "place.x", "place.y", "fades_below"]),
        ("cover", &["size.0", "size.1", "place.x", "place.y", "turn", "feather", "effect.blur", "effect.mosaic"]),
        (
            "sparks",
            &[
                "rate",
                "life",
                "speed",
                "direction",
                "spread",
                "pull",
                "size",
                "end_size",
                "streak",
                "softness",
                "place.x",
                "place.y",
            ],
        ),
        ("front", &["feather", "brightness.from", "brightness.to", "brightness.softness"]),
    ];

    /// Attachments of all kinds with every part that can be left out, as they are stored.
    fn with_everything() -> Vec<Attachment> {
        let id = Uuid::from_u128(1);
        let colour = "#102030";
        let edge = json!({ "colour": colour, "width": 2.0 });
        let label = json!({
            "kind": "label", "id": id, "font": "sans", "size": 26.0, "colour": colour, "outline": edge,
            "second": { "text": "guard", "size": 0.6 },
            "box": { "fill": colour, "opacity": 0.5, "padding": 4.0, "radius": 3.0, "border": edge },
            "shadow": { "colour": colour, "opacity": 0.5, "shift": { "x": 1.0, "y": 1.0 }, "softness": 2.0 },
            "line_width": 2.0, "placement": { "offset": { "x": 5.0, "y": 6.0 } },
        });
        let boundary = json!({
            "kind": "boundary", "id": id, "corners": [{ "pin": id }, { "point": id }], "closed": false, "width": 5.0,
            "dashes": [30.0, 18.0], "glow": { "colour": colour, "reach": 14.0, "opacity": 0.6 }, "marks": 3.0,
            "tint": { "colour": colour, "opacity": 0.2 }, "label": label,
            "drawing": { "on_frames": 10, "off_frames": 10, "easing": { "first": [0.0, 0.0], "second": [1.0, 1.0] } },
        });
        let turns = json!({ "since": 0, "turns": true, "grows": true, "tilts": false });
        let picture = json!({
            "kind": "picture", "id": id, "picture": id, "pixels": [30, 20], "lies": { "facing": turns },
            "place": { "x": 1.0, "y": 2.0 }, "size": [30.0, 20.0], "turn": 3.0,
        });
        let flare = json!({
            "kind": "flare", "id": id, "colour": colour, "size": 80.0, "rays": 6, "streak": 2.0, "ring": 1.0,
            "ghosts": 3, "fades_below": 0.5,
        });
        let cover = |effect: Value| json!({ "kind": "cover", "id": id, "outline": "box", "size": [40.0, 30.0], "effect": effect });
        let sparks = serde_json::to_value(Attachment::new(id, AttachmentKind::Sparks(Sparks::default()))).unwrap();
        let front = json!({
            "kind": "front", "id": id, "brightness": { "from": 0.1, "to": 0.6, "softness": 0.1 },
        });
        let all = [
            label,
            boundary,
            picture,
            flare,
            sparks,
            cover(json!({ "blur": 9.0 })),
            cover(json!({ "mosaic": 16 })),
            front,
        ];
        all.into_iter().map(|stored| serde_json::from_value(stored).unwrap()).collect()
    }

    #[test]
    fn addresses_that_were_stored_still_reach_their_numbers() {
        let kind = |attachment: &Attachment| serde_json::to_value(attachment).unwrap()["kind"].clone();
        for (name, addresses) in STORED {
            for address in addresses {
                let reached = with_everything().into_iter().filter(|one| kind(one) == name).any(|one| {
                    let mut keyed = one.clone();
                    keyed.show.keys = vec![key(address, 0, 0.875)];
                    AnimatedSettings::new(&keyed).unwrap().on(Frame(0)) != one
                });
                assert!(reached, "{address} of a {name}");
            }
        }
    }
}
