//! Something that follows a subject, and the kinds of it.

use serde::{Deserialize, Serialize};
use uuid::Uuid;

use super::boundary::Boundary;
use super::cover::Cover;
use super::film_clip::FilmClip;
use super::flare::Flare;
use super::foreground::ForegroundMatte;
use super::label::Label;
use super::picture::Picture;
use super::settings::{NumberMut, SettingProblem};
use super::show::Show;
use super::sparks::Sparks;

/// Something that follows a subject.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Attachment {
    /// Identity, never shown.
    pub id: Uuid,
    /// The look that it shares with others of its kind: a change of one changes all.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub look: Option<String>,
    /// Whether, when and how strongly it is shown.
    #[serde(default)]
    pub show: Show,
    /// What it is.
    #[serde(flatten)]
    pub kind: AttachmentKind,
}

/// The kinds of attachment.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(tag = "kind", rename_all = "snake_case")]
pub enum AttachmentKind {
    /// Text in a box, with a line to the subject.
    Label(Box<Label>),
    /// A line round a piece of ground.
    Boundary(Box<Boundary>),
    /// A picture or logo.
    Picture(Picture),
    /// A film that lies as a picture does.
    #[serde(rename = "clip")]
    FilmClip(Box<FilmClip>),
    /// A lamp or the sun that dazzles the lens.
    Flare(Flare),
    /// A cover over a face or a number plate, or over everything else.
    Cover(Cover),
    /// Small bright bits that fly off it.
    Sparks(Sparks),
    /// What stands in front of everything further back.
    #[serde(rename = "front")]
    Foreground(ForegroundMatte),
}

impl Attachment {
    /// A label as usual.
    pub fn label(id: Uuid, label: Label) -> Self {
        Self::new(id, AttachmentKind::Label(Box::new(label)))
    }

    /// An attachment that is shown as usual.
    pub fn new(id: Uuid, kind: AttachmentKind) -> Self {
        Self { id, look: None, show: Show::default(), kind }
    }

    /// Checks every setting as it was set, without keyframes.
    pub(super) fn check_as_set(&self) -> Result<(), SettingProblem> {
        self.show.check()?;
        match &self.kind {
            AttachmentKind::Label(label) => label.check(),
            AttachmentKind::Boundary(boundary) => boundary.check(),
            AttachmentKind::Picture(picture) => picture.check(),
            AttachmentKind::FilmClip(clip) => clip.check(),
            AttachmentKind::Flare(flare) => flare.check(),
            AttachmentKind::Cover(cover) => cover.check(),
            AttachmentKind::Sparks(sparks) => sparks.check(),
            AttachmentKind::Foreground(matte) => matte.check(),
        }
    }

    /// The number at an address; `None` where there is none, as of a glow that was taken away.
    pub(super) fn number(&mut self, address: &str) -> Option<NumberMut<'_>> {
        if let Some(of_show) = address.strip_prefix("show.") {
            return self.show.number(of_show);
        }
        match &mut self.kind {
            AttachmentKind::Label(label) => label.number(address),
            AttachmentKind::Boundary(boundary) => boundary.number(address),
            AttachmentKind::Picture(picture) => picture.number(address),
            AttachmentKind::FilmClip(clip) => clip.number(address),
            AttachmentKind::Flare(flare) => flare.number(address),
            AttachmentKind::Cover(cover) => cover.number(address),
            AttachmentKind::Sparks(sparks) => sparks.number(address),
            AttachmentKind::Foreground(matte) => matte.number(address),
        }
    }
}

impl AttachmentKind {
    /// What a person calls it.
    pub fn name(&self) -> &'static str {
        match self {
            Self::Label(_) => "label",
            Self::Boundary(_) => "boundary line",
            Self::Picture(_) => "picture",
            Self::FilmClip(_) => "film clip",
            Self::Flare(_) => "flare",
            Self::Cover(_) => "cover",
            Self::Sparks(_) => "sparks",
            Self::Foreground(_) => "piece in front",
        }
    }
}
