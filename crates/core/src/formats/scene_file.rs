//! `scene.json`: what `jampin render` hangs on followed pins.

use serde::Deserialize;
use serde_json::{Value, json};
use thiserror::Error;
use uuid::Uuid;

use crate::attachment::{Attachment, AttachmentKind, Label, SettingProblem};
use crate::document::{SUBJECT_COLOURS, Shot, Subject};
use crate::geometry::Size;
use crate::path::{Recipe, RecipeProblem};
use crate::pin::Pin;
use crate::track::Track;

/// The file: where the samples are, and what hangs on each pin.
#[derive(Clone, Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct SceneFile {
    /// The samples, as `jampin track` writes them; a path seen from the scene file.
    pub samples: String,
    /// The pins that something hangs on.
    pub subjects: Vec<SceneSubject>,
}

/// A pin with what hangs on it.
#[derive(Clone, Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct SceneSubject {
    /// The pin's name in the samples.
    pub pin: String,
    /// What labels show; the pin's name when it is not given.
    #[serde(default)]
    pub name: Option<String>,
    /// How its samples become its path; nothing when they are the path as they are.
    #[serde(default)]
    pub recipe: Option<Recipe>,
    /// Attachments as the API has them, without identities; a label begins as the page's do, and only what is to be
    /// other has to be said.
    pub attachments: Vec<Value>,
}

/// Why a scene file cannot be used.
#[derive(Debug, Error)]
pub enum SceneFileError {
    /// It is not JSON of the right form.
    #[error("the scene file cannot be read: {0}")]
    Form(#[from] serde_json::Error),
    /// A pin that is not in the samples.
    #[error("the samples have no pin {0:?}")]
    NoPin(String),
    /// An attachment that makes no sense.
    #[error("attachment {number} of {pin:?}: {problem}")]
    Attachment {
        /// Of which pin.
        pin: String,
        /// Counted from 1.
        number: usize,
        /// What is wrong.
        problem: String,
    },
    /// A recipe that makes no sense.
    #[error("the recipe of {0:?}: {1}")]
    Recipe(String, RecipeProblem),
}

impl SceneFile {
    /// Reads the file's text.
    pub fn parse(text: &str) -> Result<Self, SceneFileError> {
        Ok(serde_json::from_str(text)?)
    }

    /// The shot that it describes, in a picture of this size. `tracks` has the samples by the pins' names.
    pub fn shot(&self, tracks: &[(String, Track)], picture: Size) -> Result<Shot, SceneFileError> {
        let mut shot = Shot::default();
        for (index, described) in self.subjects.iter().enumerate() {
            let found = tracks.iter().find(|(name, _)| *name == described.pin);
            let (_, track) = found.ok_or_else(|| SceneFileError::NoPin(described.pin.clone()))?;
            let id = |part: u128| Uuid::from_u128(((index as u128 + 1) << 64) + part);
            let (frame, sample) = track.iter().next().ok_or_else(|| SceneFileError::NoPin(described.pin.clone()))?;
            if let Some(problem) = described.recipe.as_ref().and_then(|recipe| recipe.check().err()) {
                return Err(SceneFileError::Recipe(described.pin.clone(), problem));
            }
            let attachments = described.attachments.iter().enumerate();
            let attachments = attachments.map(|(i, value)| {
                attachment(value, id(2 + i as u128), picture).map_err(|problem| SceneFileError::Attachment {
                    pin: described.pin.clone(),
                    number: i + 1,
                    problem,
                })
            });
            let name = described.name.as_ref().unwrap_or(&described.pin);
            shot.subjects.push(Subject {
                pins: vec![Pin::new(id(1), frame, sample.at, [31, 31], [64, 64])],
                attachments: attachments.collect::<Result<_, _>>()?,
                cleaning: described.recipe.clone(),
                ..Subject::new(id(0), name, shot.free_letter(), index % SUBJECT_COLOURS.len())
            });
            *shot.track_mut(id(1)) = track.clone();
        }
        Ok(shot)
    }
}

fn attachment(value: &Value, id: Uuid, picture: Size) -> Result<Attachment, String> {
    let said = value.as_object().ok_or("it has to be an object with a kind")?;
    let mut whole = match said.get("kind").and_then(Value::as_str) {
        Some("label") => json!(Attachment::label(id, Label::for_picture(picture))),
        _ => json!({ "id": id }),
    };
    for (key, value) in said {
        whole[key] = value.clone();
    }
    let attachment: Attachment = serde_json::from_value(whole).map_err(|problem| problem.to_string())?;
    if matches!(attachment.kind, AttachmentKind::Picture(_) | AttachmentKind::FilmClip(_)) {
        return Err("pictures and film clips are brought in on the page; they are not read from here".into());
    }
    attachment.check().map_err(|problem: SettingProblem| problem.to_string())?;
    Ok(attachment)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geometry::Point;
    use crate::time::Frame;
    use crate::track::Sample;

    fn tracks() -> Vec<(String, Track)> {
        let track = (3..9).map(|n| (Frame(n), Sample::guide(Point::new(f64::from(n), 20.0)))).collect();
        vec![("lamp".into(), track)]
    }

    fn shot(attachments: &str) -> Result<Shot, SceneFileError> {
        let text = format!(
            r#"{{"samples":"s.csv","subjects":[{{"pin":"lamp","name":"Home lamp","attachments":{attachments}}}]}}"#
        );
        SceneFile::parse(&text)?.shot(&tracks(), Size::new(1280, 720))
    }

    #[test]
    fn a_label_needs_nothing_but_its_kind() {
        let made = shot(r##"[{"kind":"label"},{"kind":"label","text":"Lamp","size":40}]"##).unwrap();
        let subject = &made.subjects[0];
        let labels: Vec<&Label> = subject
            .attachments
            .iter()
            .map(|one| match &one.kind {
                AttachmentKind::Label(label) => &**label,
                _ => panic!(),
            })
            .collect();
        assert_eq!((labels[0], labels[1].size), (&Label::for_picture(Size::new(1280, 720)), 40.0));
        assert_eq!((subject.name.as_str(), made.track(subject.pins[0].id).len()), ("Home lamp", 6));
    }

    #[test]
    fn mistakes_are_explained() {
        let told = |attachments: &str| shot(attachments).unwrap_err().to_string();
        assert!(told(r#"[{"kind":"label","size":9000}]"#).contains("the size is 9000"));
        assert!(told(r#"[{"kind":"lable"}]"#).contains("attachment 1 of \"lamp\""));
        assert!(told(r#"["label"]"#).contains("kind"));
        let other = r#"{"samples":"s.csv","subjects":[{"pin":"door","attachments":[]}]}"#;
        let missing = SceneFile::parse(other).unwrap().shot(&tracks(), Size::new(64, 64)).unwrap_err();
        assert!(missing.to_string().contains("door"));
    }
}
