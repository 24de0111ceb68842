//! What a change is about: two that are about different subjects can be made by two people at the same time.

use std::collections::BTreeSet;

use uuid::Uuid;

use super::kinds::Edit;
use crate::document::Shot;

impl Edit {
    /// The subjects of a shot that this change is about; nil for what belongs to the whole shot.
    pub fn subjects(&self, shot: &Shot) -> BTreeSet<Uuid> {
        let mut found = BTreeSet::new();
        self.collect(shot, &mut found);
        found
    }

    fn collect(&self, shot: &Shot, found: &mut BTreeSet<Uuid>) {
        match self {
            Self::AddSubject { subject, .. } => {
                found.insert(subject.id);
            }
            Self::RemoveSubject { subject }
            | Self::Rename { subject, .. }
            | Self::PutPin { subject, .. }
            | Self::PutArea { subject, .. }
            | Self::RemoveArea { subject, .. }
            | Self::SetKeepOut { subject, .. }
            | Self::PutAttachment { subject, .. }
            | Self::RemoveAttachment { subject, .. }
            | Self::SetCleaning { subject, .. }
            | Self::SetMotion { subject, .. }
            | Self::PutPoint { subject, .. }
            | Self::RemovePoint { subject, .. }
            | Self::SetHandOvers { subject, .. } => {
                found.insert(*subject);
            }
            // A pin that is not there yet comes with its subject, which is named by another of the changes.
            Self::RemovePin { pin } | Self::SetSamples { pin, .. } => found.extend(subject_of(shot, *pin)),
            Self::SetNoCuts { .. } => {
                found.insert(Uuid::nil());
            }
            Self::All { edits } => edits.iter().for_each(|edit| edit.collect(shot, found)),
        }
    }
}

/// The subject that a pin, or a knot of one of its nets, is on.
fn subject_of(shot: &Shot, track: Uuid) -> Option<Uuid> {
    let is_on = |subject: &&crate::document::Subject| subject.tracks().any(|id| id == track);
    shot.subjects.iter().find(is_on).map(|subject| subject.id)
}
