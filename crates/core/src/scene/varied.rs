//! Settings of an attachment that keyframes change: the attachment as it is on each frame.

use serde_json::{Value, json};

use super::keyed::{Key, Number, value_on};
use super::settings::SettingProblem;
use crate::shot::{Attachment, AttachmentKind};
use crate::time::{Frame, FrameRange};

/// Most forms of an attachment whose artwork changes with its settings: over more frames it changes on every second one, or third.
const MOST_DRAWN: u32 = 500;

/// An attachment whose settings change from keyframe to keyframe.
#[derive(Debug)]
pub(super) struct Varied {
    /// The attachment as it was set, without keyframes of settings.
    set: Value,
    keys: Vec<Key>,
    /// The settings that change.
    paths: Vec<String>,
    /// Whether its artwork changes with its settings.
    drawn: bool,
}

impl Varied {
    /// `None` for an attachment none of whose settings changes.
    pub fn new(attachment: &Attachment) -> Option<Self> {
        let (keys, others): (Vec<Key>, Vec<Key>) =
            attachment.show.keys.iter().cloned().partition(|key| matches!(key.number, Number::Setting(_)));
        if keys.is_empty() {
            return None;
        }
        let mut plain = attachment.clone();
        plain.show.keys = others;
        let set = serde_json::to_value(plain).ok()?;
        let mut paths: Vec<String> = keys.iter().filter_map(|key| key.number.setting().map(str::to_owned)).collect();
        paths.sort_unstable();
        paths.dedup();
        let drawn = matches!(attachment.kind, AttachmentKind::Label(_) | AttachmentKind::Flare(_));
        Some(Self { set, keys, paths, drawn })
    }

    /// The frames of a shot on which it takes another form, in order. Before the first keyframe and after the last it stands still.
    pub fn changes(&self, shot: FrameRange) -> Vec<Frame> {
        let frames = || self.keys.iter().map(|key| key.frame.clamp(shot.first, shot.last));
        let (Some(first), Some(last)) = (frames().min(), frames().max()) else { return Vec::new() };
        let range = FrameRange { first, last };
        let step = if self.drawn { range.count().div_ceil(MOST_DRAWN) } else { 1 };
        let mut changes: Vec<Frame> = range.frames().step_by(step as usize).collect();
        changes.push(last);
        changes.dedup();
        changes
    }

    /// The attachment on a frame. Settings that are not there, of a glow that was taken away, say, are left alone.
    pub fn on(&self, frame: Frame) -> Option<Attachment> {
        let mut value = self.set.clone();
        for path in &self.paths {
            let number = Number::Setting(path.clone());
            if let Some(number) = value_on(&self.keys, &number, frame) {
                set(&mut value, path, number);
            }
        }
        serde_json::from_value(value).ok()
    }
}

/// Puts a number at a path; a whole one where a whole one was. Nothing happens where there is no number.
fn set(attachment: &mut Value, path: &str, number: f64) {
    let pointer = format!("/{}", path.replace('.', "/"));
    if let Some(slot) = attachment.pointer_mut(&pointer) {
        if slot.is_u64() || slot.is_i64() {
            *slot = json!(number.round() as i64);
        } else if slot.is_number() {
            *slot = json!(number);
        }
    }
}

/// Checks the attachment with each keyframe's value in place of the setting.
pub(crate) fn check(attachment: &Attachment) -> Result<(), SettingProblem> {
    let Some(varied) = Varied::new(attachment) else { return Ok(()) };
    for key in &varied.keys {
        let mut value = varied.set.clone();
        set(&mut value, key.number.setting().unwrap_or_default(), key.value);
        let with: Attachment = serde_json::from_value(value)
            .map_err(|_| SettingProblem::Keyframe { frame: key.frame, value: key.value })?;
        with.check()?;
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use uuid::Uuid;

    use super::super::{Boundary, Corner, Cover, CoverEffect, CoverShape, Facing, Glow};
    use super::*;
    use crate::geometry::Point;
    use crate::path::Easing;

    fn key(path: &str, frame: u32, value: f64) -> Key {
        Key { number: Number::Setting(path.into()), frame: Frame(frame), value, easing: Easing::LINEAR }
    }

    fn cover(effect: CoverEffect, keys: Vec<Key>) -> Attachment {
        let cover = Cover {
            outline: CoverShape::Ellipse,
            place: Point::default(),
            size: [40.0, 60.0],
            turn: 0.0,
            facing: Facing::default(),
            feather: 0.0,
            inside_out: false,
            effect,
        };
        let mut attachment = Attachment::new(Uuid::from_u128(1), AttachmentKind::Cover(cover));
        attachment.show.keys = keys;
        attachment
    }

    fn on(attachment: &Attachment, frame: u32) -> Cover {
        let varied = Varied::new(attachment).unwrap().on(Frame(frame)).unwrap();
        let AttachmentKind::Cover(cover) = varied.kind else { panic!() };
        cover
    }

    #[test]
    fn any_number_goes_from_keyframe_to_keyframe() {
        let keys = vec![key("effect.blur", 10, 4.0), key("effect.blur", 30, 24.0), key("size.1", 20, 100.0)];
        let attachment = cover(CoverEffect::Blur(12.0), keys);
        assert_eq!(check(&attachment), Ok(()));
        for (n, want) in [(0, 4.0), (10, 4.0), (20, 14.0), (40, 24.0)] {
            let CoverEffect::Blur(blur) = on(&attachment, n).effect else { panic!() };
            assert!((blur - want).abs() < 1e-6, "{blur} on frame {n}");
        }
        assert_eq!((on(&attachment, 0).size, on(&attachment, 5).feather), ([40.0, 100.0], 0.0));
        let shot = |first, last| FrameRange { first: Frame(first), last: Frame(last) };
        let changes = |shot| Varied::new(&attachment).unwrap().changes(shot).len();
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
        let share = Varied::new(&attachment).unwrap().on(Frame(5)).unwrap().show.takes.share;
        assert!((share - 0.5).abs() < 1e-6, "{share}");
    }

    #[test]
    fn values_out_of_range_are_refused_and_what_is_not_there_is_left_alone() {
        let refused = check(&cover(CoverEffect::Blur(9.0), vec![key("effect.blur", 3, 900.0)])).unwrap_err();
        assert!(refused.to_string().contains("the blur is 900"), "{refused}");
        assert!(check(&cover(CoverEffect::Mosaic(9), vec![key("effect.mosaic", 3, -4.0)])).is_err());
        // A key of the blur stays while the cover is a mosaic, and counts again when it is a blur.
        let other = cover(CoverEffect::Mosaic(9), vec![key("effect.blur", 3, 20.0)]);
        assert_eq!((check(&other), on(&other, 3).effect), (Ok(()), CoverEffect::Mosaic(9)));
    }

    #[test]
    fn without_keyframes_of_settings_there_is_nothing_to_vary() {
        let turn = Key { number: Number::Turn, frame: Frame(3), value: 5.0, easing: Easing::LINEAR };
        assert!(Varied::new(&cover(CoverEffect::Blur(9.0), vec![turn])).is_none());
    }

    #[test]
    fn parts_of_a_line_vary_too() {
        let corners = [1, 2].map(|n| Corner::Pin(Uuid::from_u128(n))).into();
        let glow = Some(Glow { colour: "#ffffff".into(), reach: 10.0, opacity: 0.5 });
        let boundary = Boundary { glow, ..Boundary::through(corners, false) };
        let mut attachment = Attachment::new(Uuid::from_u128(1), AttachmentKind::Boundary(Box::new(boundary)));
        attachment.show.keys = vec![key("glow.reach", 0, 10.0), key("glow.reach", 4, 30.0), key("width", 2, 9.0)];
        let AttachmentKind::Boundary(line) = Varied::new(&attachment).unwrap().on(Frame(4)).unwrap().kind else {
            panic!()
        };
        assert_eq!((line.glow.unwrap().reach, line.width), (30.0, 9.0));
    }
}
