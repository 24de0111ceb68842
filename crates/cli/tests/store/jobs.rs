//! Jobs: taken once, taken again, fenced by their leases.

use std::time::Duration;

use jampin_core::edit::Edit;
use jampin_core::time::Frame;
use jampin_store::{
    ClipState, HEARTBEAT_STALE_SECONDS, JobState, Lease, MAX_ATTEMPTS, NewJob, ReadyClip, Seeker, StoreError,
};
use serde_json::json;
use uuid::Uuid;

use crate::{add_subject, found, job, pin, preparing, take, with_shot};

#[test]
fn jobs_are_taken_once_and_taken_again_when_their_worker_dies() {
    with_shot(|store, project, shot| async move {
        let mut wanted = Vec::new();
        for _ in 0..20 {
            wanted.push(store.enqueue(job(project, shot)).await.unwrap());
        }
        let claim_all = |worker: u128| {
            let store = store.clone();
            async move {
                let mut taken = Vec::new();
                while let Some((job, _)) =
                    store.claim(Seeker::anywhere(Uuid::from_u128(worker)), &["follow"]).await.unwrap()
                {
                    taken.push(job.id);
                }
                taken
            }
        };
        let (mut taken, more) = tokio::join!(claim_all(1), claim_all(2));
        taken.extend(more);
        taken.sort();
        wanted.sort();
        assert_eq!(taken, wanted, "each job exactly once");
        assert!(store.claim(Seeker::anywhere(Uuid::from_u128(3)), &["export"]).await.unwrap().is_none());
    });
}

/// Until a job that nobody speaks for is taken to be orphaned.
async fn until_stale() {
    tokio::time::sleep(Duration::from_secs(u64::from(HEARTBEAT_STALE_SECONDS) + 1)).await;
}

#[test]
fn an_orphaned_job_is_taken_again_and_who_lost_it_writes_nothing() {
    with_shot(|store, project, shot| async move {
        store.edit(shot, 0, "Add the crane", &add_subject(1)).await.unwrap();
        let clear = Edit::SetSamples { pin: pin().id, samples: vec![] };
        let (_, id) = store.edit_with_job(shot, 1, "Follow", &clear, job(project, shot)).await.unwrap();
        let (_, lost) = take(&store, 1, "follow").await;
        assert!(store.claim(Seeker::anywhere(Uuid::from_u128(2)), &["follow"]).await.unwrap().is_none(), "it is alive");
        until_stale().await;
        let (again, lease) = take(&store, 2, "follow").await;
        assert_eq!((again.id, again.attempts, lease.attempt), (id, 2, 2));
        assert!(!store.heartbeat(&lost).await.unwrap() && !store.is_held(&lost).await.unwrap());
        assert!(store.heartbeat(&lease).await.unwrap() && store.is_held(&lease).await.unwrap());

        // The first worker comes back: nothing that it says is written down.
        let late = store.append_samples(&lost, shot, &[(pin().id, &found(10..=12))], &json!({ "late": 1 })).await;
        assert!(matches!(late, Err(StoreError::LostLease)), "{late:?}");
        assert!(matches!(store.job_progress(&lost, &json!({ "late": 1 })).await, Err(StoreError::LostLease)));
        assert!(matches!(store.job_done(&lost, json!({})).await, Err(StoreError::LostLease)));
        assert!(matches!(store.job_failed(&lost, "late").await, Err(StoreError::LostLease)));
        assert!(matches!(store.job_cancelled(&lost).await, Err(StoreError::LostLease)));
        assert!(matches!(store.job_again(&lost, "late").await, Err(StoreError::LostLease)));
        let now = store.job(id).await.unwrap();
        assert_eq!((now.state, now.progress, now.problem), (JobState::Running, json!({}), None));
        assert!(store.shot(shot).await.unwrap().shot.track(pin().id).is_empty());

        // The same worker of an earlier attempt is somebody else, too; and what has ended stays ended.
        store.append_samples(&lease, shot, &[(pin().id, &found(10..=12))], &json!({})).await.unwrap();
        store.job_done(&lease, json!({ "found": 3 })).await.unwrap();
        let earlier = Lease { attempt: 1, ..lease };
        for lease in [lease, earlier] {
            assert!(matches!(store.job_failed(&lease, "late").await, Err(StoreError::LostLease)));
        }
        assert_eq!(store.job(id).await.unwrap().state, JobState::Done);
        assert_eq!(store.shot(shot).await.unwrap().shot.track(pin().id).len(), 3);
    });
}

#[test]
fn a_cancelled_job_is_asked_to_stop_and_may_still_say_how_it_ended() {
    with_shot(|store, project, shot| async move {
        let id = store.enqueue(job(project, shot)).await.unwrap();
        let (_, lease) = take(&store, 1, "follow").await;
        store.cancel_job(id).await.unwrap();
        assert!(!store.heartbeat(&lease).await.unwrap(), "it is asked to stop");
        store.job_cancelled(&lease).await.unwrap();
        assert_eq!(store.job(id).await.unwrap().state, JobState::Cancelled);
    });
}

#[test]
fn what_breaks_off_is_tried_again_but_not_for_ever() {
    with_shot(|store, project, shot| async move {
        let clip = store.clips(project).await.unwrap()[0].id;
        for attempt in 1..=MAX_ATTEMPTS {
            let (job, lease) = take(&store, 1, "prepare").await;
            assert_eq!((job.attempts, job.clip_id), (attempt, Some(clip)));
            store.clip_progress(&lease, clip, 7).await.unwrap();
            let is_tried_again = store.job_again(&lease, "The disk is full.").await.unwrap();
            assert_eq!(is_tried_again, attempt < MAX_ATTEMPTS);
            let state = store.clip(clip).await.unwrap().state();
            assert_eq!(state, if is_tried_again { ClipState::Preparing } else { ClipState::Failed });
        }
        assert!(store.claim(Seeker::anywhere(Uuid::from_u128(1)), &["prepare"]).await.unwrap().is_none());
        let failed = store.clip(clip).await.unwrap();
        assert_eq!(failed.problem.as_deref(), Some("The disk is full. It was tried 3 times."));

        // A person may try again; what is at work already is not asked for twice.
        store.prepare_again(clip, preparing(project, clip)).await.unwrap();
        store.prepare_again(clip, preparing(project, clip)).await.unwrap();
        let again = store.clip(clip).await.unwrap();
        assert_eq!((again.state(), again.prepared, again.problem), (ClipState::Preparing, 0, None));
        let (_, lease) = take(&store, 1, "prepare").await;
        assert!(store.claim(Seeker::anywhere(Uuid::from_u128(1)), &["prepare"]).await.unwrap().is_none());
        store.clip_ready(&lease, clip, ready(60)).await.unwrap();
        assert_eq!(store.shot(shot).await.unwrap().info.range.last, Frame(59), "it ends where the film does");
        store.job_done(&lease, json!({})).await.unwrap();

        // One that is ready stays so, whatever becomes of work on it.
        store.enqueue(preparing(project, clip)).await.unwrap();
        let (_, lease) = take(&store, 1, "prepare").await;
        store.job_failed(&lease, "Nothing could be read.").await.unwrap();
        assert_eq!(store.clip(clip).await.unwrap().state(), ClipState::Ready);
        store.prepare_again(clip, preparing(project, clip)).await.unwrap();
        assert!(store.claim(Seeker::anywhere(Uuid::from_u128(1)), &["prepare"]).await.unwrap().is_none());
    });
}

#[test]
fn a_preparation_that_is_lost_or_stopped_says_so_on_its_clip() {
    with_shot(|store, project, _| async move {
        let clip = store.clips(project).await.unwrap()[0].id;
        let (_, lease) = take(&store, 1, "prepare").await;
        let somebody_else = Lease { worker: Uuid::from_u128(9), ..lease };
        assert!(matches!(store.clip_progress(&somebody_else, clip, 7).await, Err(StoreError::LostLease)));
        assert!(matches!(store.clip_ready(&somebody_else, clip, ready(1)).await, Err(StoreError::LostLease)));
        let untouched = store.clip(clip).await.unwrap();
        assert_eq!((untouched.state(), untouched.prepared), (ClipState::Preparing, 0));
        assert_eq!(store.forsaken_clips().await.unwrap(), [], "somebody is at it");
        store.job_again(&lease, "The database was away.").await.unwrap();
        assert_eq!(store.forsaken_clips().await.unwrap(), [], "somebody will be");
        let (_, lease) = take(&store, 1, "prepare").await;
        store.job_done(&lease, json!({})).await.unwrap();
        assert_eq!(store.forsaken_clips().await.unwrap(), [(clip, project)], "it has ended, and the clip is not ready");
        let job = store.enqueue(preparing(project, clip)).await.unwrap();
        store.cancel_job(job).await.unwrap();
        let stopped = store.clip(clip).await.unwrap();
        assert_eq!((stopped.state(), stopped.problem.as_deref()), (ClipState::Failed, Some("Preparing was stopped.")));
    });
}

fn ready(count: u32) -> ReadyClip {
    ReadyClip { frames: json!({}), count, cuts: vec![], speeds: vec![], remarks: vec![] }
}

#[test]
fn work_on_one_pin_is_done_in_order_and_on_others_at_once() {
    with_shot(|store, project, shot| async move {
        let of = |pin: u128| NewJob { payload: json!({ "pin": Uuid::from_u128(pin) }), ..job(project, shot) };
        let first = store.enqueue(of(7)).await.unwrap();
        let second = store.enqueue(of(7)).await.unwrap();
        let other = store.enqueue(of(8)).await.unwrap();
        let claim = || async { store.claim(Seeker::anywhere(Uuid::from_u128(1)), &["follow"]).await.unwrap() };
        let (one, two) = (claim().await.unwrap(), claim().await.unwrap());
        assert_eq!((one.0.id, two.0.id, claim().await.is_none()), (first, other, true));
        store.job_done(&one.1, json!({})).await.unwrap();
        assert_eq!(claim().await.map(|(job, _)| job.id), Some(second));
    });
}
