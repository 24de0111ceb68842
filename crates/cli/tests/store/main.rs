//! The store over a real PostgreSQL. Not in its own crate, which is optimised: so they compile in a fifth of the time.

mod deletion;
mod jobs;
mod model;
mod places;
mod upgrade;

use std::future::Future;

use jampin_core::document::Subject;
use jampin_core::edit::Edit;
use jampin_core::geometry::{LocalWarp, Point};
use jampin_core::pin::Pin;
use jampin_core::time::{Frame, FrameRange};
use jampin_core::track::{Covariance, Sample, SampleState};
use jampin_store::{Appended, Event, FIRST_OWNER, Job, Lease, NewClip, NewJob, NewShot, Seeker, Store, StoreError};
use jampin_testkit::fresh_database;
use serde_json::json;
use uuid::Uuid;

/// Runs a test over a database of its own with a project, a clip and a shot of 100 frames in it.
fn with_shot<F: Future<Output = ()>>(test: impl FnOnce(Store, Uuid, Uuid) -> F) {
    let runtime = tokio::runtime::Builder::new_multi_thread().worker_threads(2).enable_all().build().unwrap();
    runtime.block_on(async {
        let store = Store::new(&fresh_database()).unwrap();
        store.migrate().await.unwrap();
        let project = store.create_project("Open day", FIRST_OWNER).await.unwrap().id;
        let shot = bring_another(&store, project).await.unwrap();
        test(store, project, shot).await;
    });
}

async fn bring_another(store: &Store, project: Uuid) -> Result<Uuid, StoreError> {
    let clip = Uuid::new_v4();
    let new =
        NewClip { id: clip, project, name: "yard.mp4", bytes: 10, info: json!({}), frames: json!({}), remarks: vec![] };
    let range = FrameRange { first: Frame(0), last: Frame(99) };
    let shot = NewShot { project, clip, name: "Yard", range };
    Ok(store.bring_in(new, shot, preparing(project, clip)).await?.0)
}

fn named_subject(name: &str) -> Edit {
    Edit::AddSubject { index: 0, subject: Subject::new(Uuid::from_u128(1), name, 'A', 0) }
}

fn pin() -> Pin {
    Pin::new(Uuid::from_u128(7), Frame(10), Point::new(40.0, 50.0), [31, 31], [40, 40])
}

fn add_subject(n: u128) -> Edit {
    let subject = Subject {
        pins: if n == 1 { vec![pin()] } else { vec![] },
        ..Subject::new(Uuid::from_u128(n), "Crane", 'A', 0)
    };
    Edit::AddSubject { index: 0, subject }
}

fn found(frames: std::ops::RangeInclusive<u32>) -> Vec<(Frame, Option<Sample>)> {
    frames
        .map(|n| {
            let at = Point::new(f64::from(n) + 0.123_456_789, 50.0);
            (Frame(n), Some(Sample { state: SampleState::Found, matched: 0.9, ..Sample::guide(at) }))
        })
        .collect()
}

fn preparing(project: Uuid, clip: Uuid) -> NewJob {
    NewJob { project, shot: None, clip: Some(clip), kind: "prepare".into(), payload: json!({ "clip": clip }) }
}

/// A worker that has taken the oldest job of this kind.
async fn take(store: &Store, worker: u128, kind: &str) -> (Job, Lease) {
    store.claim(Seeker::anywhere(Uuid::from_u128(worker)), &[kind]).await.unwrap().expect("a job is waiting")
}

fn job(project: Uuid, shot: Uuid) -> NewJob {
    NewJob { project, shot: Some(shot), clip: None, kind: "follow".into(), payload: json!({}) }
}

#[test]
fn edits_are_kept_undone_and_redone_across_connections() {
    with_shot(|store, _, shot| async move {
        let first = store.edit(shot, 0, "Add the crane", &add_subject(1)).await.unwrap();
        let samples = Edit::SetSamples { pin: pin().id, samples: found(10..=30) };
        let second = store.edit(shot, first.revision, "Follow", &samples).await.unwrap();
        let before = store.shot(shot).await.unwrap();
        assert_eq!(before.shot.track(pin().id).len(), 21);
        assert_eq!(before.shot.track(pin().id).get(Frame(12)).unwrap().at.x, 12.123_456_789);
        assert_eq!((before.undo.as_deref(), before.redo), (Some("Follow"), None));
        let undone = store.undo(shot, second.revision).await.unwrap();
        let undone = store.undo(shot, undone.revision).await.unwrap();
        let empty = store.shot(shot).await.unwrap();
        assert!(empty.shot.subjects.is_empty() && empty.shot.tracks.is_empty());
        assert_eq!((empty.undo, empty.redo.as_deref()), (None, Some("Add the crane")));
        let redone = store.redo(shot, undone.revision).await.unwrap();
        store.redo(shot, redone.revision).await.unwrap();
        assert_eq!(store.shot(shot).await.unwrap().shot, before.shot);
        assert_eq!(store.log(shot, 9).await.unwrap().len(), 2);
    });
}

#[test]
fn a_write_against_an_old_revision_is_refused_and_changes_nothing() {
    with_shot(|store, _, shot| async move {
        store.edit(shot, 0, "Add the crane", &add_subject(1)).await.unwrap();
        let refused = store.edit(shot, 0, "Add it again", &add_subject(1)).await;
        assert!(matches!(refused, Err(StoreError::Stale { revision: 1 })), "{refused:?}");
        let of_all = Edit::SetNoCuts { frames: vec![Frame(5)] };
        let refused = store.edit(shot, 0, "No cut", &of_all).await;
        assert!(matches!(refused, Err(StoreError::Stale { revision: 1 })), "{refused:?}");
        assert_eq!(store.shot(shot).await.unwrap().shot.subjects.len(), 1);
        let refused = store.edit(shot, 1, "Rename", &Edit::Rename { subject: Uuid::nil(), name: "x".into() }).await;
        assert!(matches!(refused, Err(StoreError::Edit(_))), "{refused:?}");
        assert_eq!(store.shot(shot).await.unwrap().info.revision, 1);
        assert!(matches!(store.redo(shot, 1).await, Err(StoreError::NothingTo("redo"))));
    });
}

#[test]
fn two_people_change_different_subjects_and_neither_is_refused() {
    with_shot(|store, _, shot| async move {
        store.edit(shot, 0, "Add the crane", &add_subject(1)).await.unwrap();
        store.edit(shot, 1, "Add the engine", &add_subject(2)).await.unwrap();
        let rename = |n: u128, name: &str| Edit::Rename { subject: Uuid::from_u128(n), name: name.into() };
        // Both have seen revision 2.
        assert_eq!(store.edit(shot, 2, "Hers", &rename(1, "Hook")).await.unwrap().revision, 3);
        assert_eq!(store.edit(shot, 2, "His", &rename(2, "Tank")).await.unwrap().revision, 4);
        let late = store.edit(shot, 2, "His", &rename(1, "Lift")).await;
        assert!(matches!(late, Err(StoreError::Stale { revision: 4 })), "{late:?}");
        // What was undone is a change too, and a sample is its subject's.
        store.undo(shot, 4).await.unwrap();
        let late = store.edit(shot, 4, "Again", &rename(2, "Tender")).await;
        assert!(matches!(late, Err(StoreError::Stale { revision: 5 })), "{late:?}");
        let samples = Edit::SetSamples { pin: pin().id, samples: found(10..=12) };
        assert_eq!(store.edit(shot, 4, "Samples", &samples).await.unwrap().revision, 6);
        let late = store.edit(shot, 5, "Name", &rename(1, "Lift")).await;
        assert!(matches!(late, Err(StoreError::Stale { revision: 6 })), "{late:?}");
        // Nobody says of a revision that there was not what it was about.
        assert!(matches!(store.edit(shot, 7, "Future", &rename(2, "x")).await, Err(StoreError::Stale { .. })));
        assert!(matches!(store.edit(shot, -1, "Past", &rename(2, "x")).await, Err(StoreError::Stale { .. })));
        let names: Vec<String> =
            store.shot(shot).await.unwrap().shot.subjects.iter().map(|subject| subject.name.clone()).collect();
        assert_eq!(names, ["Crane", "Hook"]);
    });
}

#[test]
fn a_new_edit_forgets_what_was_undone() {
    with_shot(|store, _, shot| async move {
        store.edit(shot, 0, "One", &add_subject(1)).await.unwrap();
        store.undo(shot, 1).await.unwrap();
        store.edit(shot, 2, "Two", &add_subject(2)).await.unwrap();
        let now = store.shot(shot).await.unwrap();
        assert_eq!((now.undo.as_deref(), now.redo), (Some("Two"), None));
    });
}

#[test]
fn what_a_job_adds_is_one_entry_and_undone_as_one() {
    with_shot(|store, project, shot| async move {
        store.edit(shot, 0, "Add the crane", &add_subject(1)).await.unwrap();
        let before = store.shot(shot).await.unwrap().shot;
        let clear = Edit::SetSamples { pin: pin().id, samples: vec![] };
        let (edited, id) = store.edit_with_job(shot, 1, "Follow", &clear, job(project, shot)).await.unwrap();
        let (_, lease) = take(&store, 1, "follow").await;
        for batch in [11..=20, 21..=35, 36..=36] {
            let added = store.append_samples(&lease, shot, &[(pin().id, &found(batch))], &json!({})).await.unwrap();
            assert_eq!(added, Appended::Yes);
        }
        assert_eq!(store.shot(shot).await.unwrap().shot.track(pin().id).len(), 26);
        assert_eq!(store.shot(shot).await.unwrap().info.revision, edited.revision, "a job does not make pages stale");
        let undone = store.undo(shot, edited.revision).await.unwrap();
        assert_eq!(store.shot(shot).await.unwrap().shot.subjects, before.subjects);
        assert!(store.shot(shot).await.unwrap().shot.track(pin().id).is_empty());
        let late = store.append_samples(&lease, shot, &[(pin().id, &found(37..=40))], &json!({})).await.unwrap();
        assert_eq!(late, Appended::Unwanted, "what was undone must not grow again");
        assert!(store.job(id).await.unwrap().cancel, "and its worker is asked to stop");
        store.redo(shot, undone.revision).await.unwrap();
        assert_eq!(store.shot(shot).await.unwrap().shot.track(pin().id).len(), 26);
    });
}

#[test]
fn of_two_writers_at_once_one_wins_and_the_other_is_told() {
    with_shot(|store, _, shot| async move {
        store.edit(shot, 0, "Add the crane", &add_subject(1)).await.unwrap();
        let name = |name: &str| Edit::Rename { subject: Uuid::from_u128(1), name: name.into() };
        let (first, second) = (name("One"), name("Two"));
        let one = store.edit(shot, 1, "One", &first);
        let two = store.edit(shot, 1, "Two", &second);
        let (one, two) = tokio::join!(one, two);
        assert!(one.is_ok() != two.is_ok(), "{one:?} {two:?}");
        let winner = if one.is_ok() { "One" } else { "Two" };
        assert_eq!(store.shot(shot).await.unwrap().shot.subjects[0].name, winner);
    });
}

#[test]
fn all_that_the_engine_says_of_a_sample_is_kept() {
    with_shot(|store, project, shot| async move {
        let added = store.edit(shot, 0, "Add the crane", &add_subject(1)).await.unwrap();
        let shape = LocalWarp { xx: 1.1, xy: -0.2, yx: 0.2, yy: 1.1, px: 1e-4, py: -2e-4 };
        let whole = |n: u32| Sample {
            covariance: Covariance::new([0.04, 0.01, 0.09]),
            peak_ratio: Some(1.5),
            back_error: Some(0.25),
            shape: Some(shape),
            solved: true,
            matched: 0.875,
            state: SampleState::Found,
            ..Sample::guide(Point::new(f64::from(n), 2.5))
        };
        let bare = |n: u32| Sample::predicted(Point::new(f64::from(n), 3.5), SampleState::Hidden);
        // With and without a shape in neighbouring frames: they go into rows of their own.
        let samples: Vec<_> = (0..6).map(|n| (Frame(n), Some(if n < 3 { whole(n) } else { bare(n) }))).collect();
        let edit = Edit::SetSamples { pin: pin().id, samples: samples.clone() };
        let (edited, _) = store.edit_with_job(shot, added.revision, "Follow", &edit, job(project, shot)).await.unwrap();
        let (_, lease) = take(&store, 1, "follow").await;
        let kept = store.shot(shot).await.unwrap();
        for (frame, sample) in &samples {
            let (kept, sample) = (kept.shot.track(pin().id).get(*frame).unwrap(), sample.unwrap());
            assert_eq!((kept.at, kept.shape, kept.solved), (sample.at, sample.shape, sample.solved));
            assert_eq!((kept.peak_ratio, kept.back_error), (sample.peak_ratio, sample.back_error));
            assert!((kept.covariance.xy - sample.covariance.xy).abs() < 1e-6, "{kept:?}");
        }
        // A place set by hand while the job is at work is not written over by it.
        let by_hand = Sample::guide(Point::new(77.0, 7.0));
        let put = Edit::SetSamples { pin: pin().id, samples: vec![(Frame(1), Some(by_hand))] };
        store.edit(shot, edited.revision, "By hand", &put).await.unwrap();
        let appended = store.append_samples(&lease, shot, &[(pin().id, &samples)], &json!({})).await.unwrap();
        assert_eq!(appended, Appended::Yes);
        let kept = store.shot(shot).await.unwrap();
        assert_eq!(kept.shot.track(pin().id).get(Frame(1)).unwrap().at, by_hand.at);
    });
}

#[test]
fn changes_are_announced() {
    with_shot(|store, _, shot| async move {
        let listener = store.listen().await.unwrap();
        let (sender, mut receiver) = tokio::sync::mpsc::unbounded_channel();
        let listening = tokio::spawn(listener.run(move |event| drop(sender.send(event))));
        store.edit(shot, 0, "Add the crane", &add_subject(1)).await.unwrap();
        let event = tokio::time::timeout(std::time::Duration::from_secs(5), receiver.recv()).await.unwrap();
        assert_eq!(event, Some(Event::Shot { shot, revision: 1 }));
        listening.abort();
    });
}
