//! Looks: attachments that share one are changed alike.

use super::kinds::Edit;
use crate::attachment::Attachment;
use crate::document::Shot;

/// A change of an attachment, and with it that of all others in the shot that have its look.
pub fn propagate_look(shot: &Shot, edit: Edit) -> Edit {
    let Edit::PutAttachment { attachment, .. } = &edit else { return edit };
    let before = all(shot).find(|one| one.id == attachment.id);
    // One that is new, or gets or loses its look now, changes no others.
    if attachment.look.is_none() || before.is_none_or(|before| before.look != attachment.look) {
        return edit;
    }
    let look = attachment.clone();
    let others = apply_look(shot, &look, |other| other.id != look.id && other.look == look.look);
    if others.is_empty() { edit } else { Edit::All { edits: std::iter::once(edit).chain(others).collect() } }
}

/// Edits that put some attachments of a shot into a look, as far as they are of its kind and not in it already.
pub fn apply_look(shot: &Shot, look: &Attachment, wanted: impl Fn(&Attachment) -> bool) -> Vec<Edit> {
    let owned = shot.subjects.iter().flat_map(|subject| subject.attachments.iter().map(move |one| (subject.id, one)));
    let put = |(subject, one): (_, &Attachment)| {
        let attachment = one.in_style_of(look).filter(|dressed| dressed != one)?;
        Some(Edit::PutAttachment { subject, attachment, index: None })
    };
    owned.filter(|(_, one)| wanted(one)).filter_map(put).collect()
}

/// The looks that are other ones after a change of the shot: each an attachment that has it as it is now.
pub fn changed_looks(before: &Shot, after: &Shot) -> Vec<Attachment> {
    let mut changed: Vec<Attachment> = Vec::new();
    for now in all(after).filter(|now| now.look.is_some() && changed_since(before, now)) {
        if changed.iter().all(|known| known.look != now.look) {
            changed.push(now.clone());
        }
    }
    changed
}

fn changed_since(before: &Shot, now: &Attachment) -> bool {
    let then = all(before).find(|then| then.id == now.id && then.look == now.look);
    then.is_some_and(|then| then.in_style_of(now).is_some_and(|dressed| dressed != *then))
}

fn all(shot: &Shot) -> impl Iterator<Item = &Attachment> {
    shot.subjects.iter().flat_map(|subject| &subject.attachments)
}

#[cfg(test)]
mod tests {
    use uuid::Uuid;

    use super::*;
    use crate::attachment::AttachmentKind;
    use crate::attachment::{Label, Placement};
    use crate::document::Subject;
    use crate::geometry::Point;

    fn label(n: u128, look: Option<&str>, size: f64, across: f64) -> Attachment {
        let placement = Placement::Offset(Point::new(across, 0.0));
        let label = Label { size, placement, ..Label::named("Guard") };
        Attachment { look: look.map(Into::into), ..Attachment::label(Uuid::from_u128(n), label) }
    }

    fn shot(attachments: Vec<Attachment>) -> Shot {
        let subject = Subject { attachments, ..Subject::new(Uuid::from_u128(9), "Guard", 'A', 0) };
        Shot { subjects: vec![subject], ..Shot::default() }
    }

    fn put(attachment: Attachment) -> Edit {
        Edit::PutAttachment { subject: Uuid::from_u128(9), attachment, index: None }
    }

    fn size(edit: &Edit) -> f64 {
        let Edit::PutAttachment { attachment, .. } = edit else { panic!("{edit:?}") };
        let AttachmentKind::Label(label) = &attachment.kind else { panic!() };
        label.size
    }

    #[test]
    fn all_that_share_a_look_follow_and_no_others() {
        let names = || Some("names");
        let shot = shot(vec![label(1, names(), 26.0, 5.0), label(2, names(), 26.0, 6.0), label(3, None, 26.0, 7.0)]);
        let Edit::All { edits } = propagate_look(&shot, put(label(1, names(), 40.0, 5.0))) else { panic!() };
        assert_eq!(edits.iter().map(size).collect::<Vec<_>>(), [40.0, 40.0]);
        // What gets a look now changes nobody, nor what is only moved.
        assert_eq!(propagate_look(&shot, put(label(3, names(), 40.0, 7.0))), put(label(3, names(), 40.0, 7.0)));
        assert_eq!(propagate_look(&shot, put(label(1, names(), 26.0, 99.0))), put(label(1, names(), 26.0, 99.0)));
    }

    #[test]
    fn a_look_has_changed_when_one_that_had_it_looks_otherwise() {
        let before = shot(vec![label(1, Some("names"), 26.0, 5.0), label(2, Some("roles"), 20.0, 5.0)]);
        let after = shot(vec![label(1, Some("names"), 40.0, 5.0), label(2, Some("roles"), 20.0, 80.0)]);
        let changed = changed_looks(&before, &after);
        assert_eq!(changed.iter().map(|one| one.look.as_deref()).collect::<Vec<_>>(), [Some("names")]);
        let newly = shot(vec![label(2, Some("names"), 40.0, 5.0)]);
        assert_eq!(changed_looks(&before, &newly), []);
    }
}
