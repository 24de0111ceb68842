//! Shots as they are read, and what comes of them: worked out once, part by part when it is first asked for, and shared
//! by every request until the shot is another.

use std::collections::BTreeMap;
use std::sync::{Arc, Mutex, OnceLock, PoisonError};

use jampin_core::action::Ground;
use jampin_core::document::{Shot, Subject};
use jampin_core::evaluate::SubjectEvaluation;
use jampin_core::follow::shot_part;
use jampin_core::motion::Poses;
use jampin_core::scene::Scene;
use jampin_core::time::{Frame, FrameRange};
use jampin_media::{ClipInfo, FrameTable};
use jampin_render::Typesetter;
use jampin_store::{Clip, StoredShot};
use uuid::Uuid;

/// Shots that are kept. More take memory (a long one has tens of megabytes), fewer are read again when people change
/// between them.
const KEPT: usize = 12;
/// Shots that are read at the same time at most. Two that share a turn wait for each other, which more turns make
/// rarer.
const TURNS: usize = 16;

/// What a subject's samples come to, once somebody has asked.
type Evaluation = Arc<OnceLock<Option<SubjectEvaluation>>>;

/// A shot with its clip as of one revision and one state of its samples.
pub(crate) struct EvaluatedShot {
    pub stored: StoredShot,
    pub clip: Clip,
    pub info: ClipInfo,
    pub table: FrameTable,
    subjects: BTreeMap<Uuid, Evaluation>,
    scene: OnceLock<Scene>,
}

impl EvaluatedShot {
    /// What of `before` still holds is taken over.
    pub fn new(
        stored: StoredShot,
        (clip, info, table): (Clip, ClipInfo, FrameTable),
        before: Option<&EvaluatedShot>,
    ) -> Self {
        let evaluation = |subject: &Subject| {
            let known = before.filter(|before| before.moves_alike(&stored.shot, subject));
            let known = known.and_then(|before| before.subjects.get(&subject.id)).map(Arc::clone);
            (subject.id, known.unwrap_or_default())
        };
        let subjects = stored.shot.subjects.iter().map(evaluation).collect();
        Self { stored, clip, info, table, subjects, scene: OnceLock::new() }
    }

    /// Whether a subject of another state of the shot has the same motion here.
    fn moves_alike(&self, shot: &Shot, subject: &Subject) -> bool {
        let same_samples = |pin: Uuid| match (self.stored.shot.tracks.get(&pin), shot.tracks.get(&pin)) {
            (Some(own), Some(other)) => Arc::ptr_eq(own, other),
            (own, other) => own.is_none() && other.is_none(),
        };
        let own = self.stored.shot.subject(subject.id);
        own.is_some_and(|own| own.moves_like(subject)) && subject.tracks().all(same_samples)
    }

    /// What the samples of one of its subjects come to. `None` without a pin.
    pub fn subject(&self, subject: &Subject) -> Option<&SubjectEvaluation> {
        let evaluation = self.subjects.get(&subject.id)?;
        evaluation.get_or_init(|| SubjectEvaluation::new(&self.stored.shot, subject)).as_ref()
    }

    /// Where one of its subjects is and how it lies. `None` where no pin is anywhere.
    pub fn poses(&self, subject: &Subject) -> Option<&Arc<Poses>> {
        self.subject(subject)?.poses()
    }

    /// What hangs in it. To be called away from the threads that answer.
    pub fn scene(&self, typesetter: &Typesetter) -> &Scene {
        self.scene.get_or_init(|| {
            let shown = self.stored.shot.subjects.iter().filter(|subject| subject.is_shown());
            let evaluated = shown.filter_map(|subject| Some((subject, Arc::clone(self.poses(subject)?))));
            Scene::of(evaluated, self.info.size, self.stored.info.range, typesetter)
        })
    }

    /// What something can be done to.
    pub fn ground(&self) -> Ground<'_> {
        Ground { shot: &self.stored.shot, range: self.stored.info.range, size: self.info.size }
    }

    /// The part of the shot between two cuts that holds a frame.
    pub fn part(&self, frame: Frame) -> FrameRange {
        let cuts = self.stored.shot.cuts(self.clip.cuts.iter().map(|cut| Frame(*cut as u32)));
        shot_part(self.stored.info.range, &cuts, frame)
    }
}

/// The shots that were asked for last, the newest at the end.
#[derive(Clone, Default)]
pub(crate) struct EvaluatedShots {
    kept: Arc<Mutex<Vec<Arc<EvaluatedShot>>>>,
    turns: Arc<[tokio::sync::Mutex<()>; TURNS]>,
}

impl EvaluatedShots {
    /// Waited for before a shot is read: many pages ask at once when something has changed, and one reading serves them
    /// all.
    pub async fn turn(&self, id: Uuid) -> tokio::sync::MutexGuard<'_, ()> {
        self.turns[id.as_u128() as usize % TURNS].lock().await
    }

    pub fn get(&self, id: Uuid) -> Option<Arc<EvaluatedShot>> {
        let mut all = self.kept.lock().unwrap_or_else(PoisonError::into_inner);
        let at = all.iter().position(|shot| shot.stored.info.id == id)?;
        let found = all.remove(at);
        all.push(Arc::clone(&found));
        Some(found)
    }

    pub fn put(&self, shot: &Arc<EvaluatedShot>) {
        let mut all = self.kept.lock().unwrap_or_else(PoisonError::into_inner);
        all.retain(|other| other.stored.info.id != shot.stored.info.id);
        all.push(Arc::clone(shot));
        let over = all.len().saturating_sub(KEPT);
        all.drain(..over);
    }
}
