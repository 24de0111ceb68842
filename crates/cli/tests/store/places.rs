//! Jobs go to where the planes of their clip are, and pieces to whoever comes.

use std::time::Duration;

use jampin_store::{GRACE_MILLIS, JobState, NewJob, PIECE, Seeker, Store, StoreError, WorkerRow};
use serde_json::json;
use uuid::Uuid;

use crate::{bring_another, job, take, with_shot};

fn seeker(place: u128) -> Seeker {
    Seeker { lane: Uuid::new_v4(), place: Some(Uuid::from_u128(place)) }
}

/// A worker that follows, at a place.
async fn comes_to_work(store: &Store, place: u128) -> Uuid {
    let row = WorkerRow {
        id: Uuid::new_v4(),
        host: format!("host {place}"),
        process: 1,
        kinds: vec!["follow".into()],
        lanes: vec![Uuid::new_v4()],
        place: Some(Uuid::from_u128(place)),
    };
    store.worker_is_there(&row).await.unwrap();
    row.id
}

async fn takes(store: &Store, place: u128) -> Option<Uuid> {
    store.claim(seeker(place), &["follow"]).await.unwrap().map(|(job, _)| job.id)
}

async fn until_late() {
    tokio::time::sleep(Duration::from_millis(u64::from(GRACE_MILLIS) + 100)).await;
}

#[test]
fn a_job_is_left_to_who_has_the_planes_for_a_moment_and_no_longer() {
    with_shot(|store, project, shot| async move {
        let clip = store.shot(shot).await.unwrap().info.clip_id;
        for place in [1, 2] {
            comes_to_work(&store, place).await;
        }
        store.planes_are_at(clip, Uuid::from_u128(1)).await.unwrap();
        let first = store.enqueue(job(project, shot)).await.unwrap();
        assert_eq!(takes(&store, 2).await, None, "the other is nearer");
        assert_eq!(takes(&store, 1).await, Some(first));
        let second = store.enqueue(job(project, shot)).await.unwrap();
        assert_eq!(takes(&store, 2).await, None);
        until_late().await;
        assert_eq!(takes(&store, 2).await, Some(second), "rather elsewhere than late");
    });
}

#[test]
fn nobody_waits_for_a_worker_that_is_gone_or_has_no_planes_any_more() {
    with_shot(|store, project, shot| async move {
        let clip = store.shot(shot).await.unwrap().info.clip_id;
        let near = comes_to_work(&store, 1).await;
        store.planes_are_at(clip, Uuid::from_u128(1)).await.unwrap();
        store.worker_leaves(near).await.unwrap();
        let first = store.enqueue(job(project, shot)).await.unwrap();
        assert_eq!(takes(&store, 2).await, Some(first));
        comes_to_work(&store, 1).await;
        store.planes_left(&[clip], Uuid::from_u128(1)).await.unwrap();
        let second = store.enqueue(job(project, shot)).await.unwrap();
        assert_eq!(takes(&store, 2).await, Some(second));
    });
}

#[test]
fn of_two_jobs_that_wait_the_nearer_one_comes_first_unless_it_is_much_younger() {
    with_shot(|store, project, far| async move {
        let near = bring_another(&store, project).await.unwrap();
        let clip = store.shot(near).await.unwrap().info.clip_id;
        store.planes_are_at(clip, Uuid::from_u128(1)).await.unwrap();
        let older = store.enqueue(job(project, far)).await.unwrap();
        let younger = store.enqueue(job(project, near)).await.unwrap();
        assert_eq!([takes(&store, 1).await, takes(&store, 1).await], [Some(younger), Some(older)]);
        let older = store.enqueue(job(project, far)).await.unwrap();
        tokio::time::sleep(Duration::from_millis(5200)).await;
        let younger = store.enqueue(job(project, near)).await.unwrap();
        assert_eq!([takes(&store, 1).await, takes(&store, 1).await], [Some(older), Some(younger)]);
    });
}

fn export(project: Uuid, shot: Uuid) -> NewJob {
    NewJob { project, shot: Some(shot), clip: None, kind: "export".into(), payload: json!({}) }
}

fn piece(project: Uuid, export: Uuid, number: u32) -> NewJob {
    let payload = json!({ "export": export, "number": number });
    NewJob { project, shot: None, clip: None, kind: PIECE.into(), payload }
}

#[test]
fn pieces_are_asked_for_once_done_by_anybody_and_gone_with_their_export() {
    with_shot(|store, project, shot| async move {
        let whole = store.enqueue(export(project, shot)).await.unwrap();
        let (_, lease) = take(&store, 1, "export").await;
        for _ in 0..2 {
            let pieces = (0..3).map(|number| piece(project, whole, number)).collect();
            store.ask_for_pieces(&lease, pieces).await.unwrap();
        }
        assert_eq!(store.pieces(whole).await.unwrap().len(), 3, "an attempt after the first one finds them");
        let other = store.enqueue(export(project, shot)).await.unwrap();
        assert!(store.claim_piece(Seeker::anywhere(lease.worker), other).await.unwrap().is_none());
        let (own, held) = store.claim_piece(Seeker::anywhere(lease.worker), whole).await.unwrap().unwrap();
        let (_, theirs) = take(&store, 2, PIECE).await;
        store.job_done(&held, json!({ "frames": 150 })).await.unwrap();
        assert_eq!(store.shot_jobs(shot, 9).await.unwrap().len(), 2, "pieces are not listed");
        // Its file was lost: it is made again.
        store.piece_is_lost(&lease, own.id).await.unwrap();
        let states: Vec<JobState> = store.pieces(whole).await.unwrap().into_iter().map(|piece| piece.state).collect();
        assert_eq!(states.iter().filter(|state| **state == JobState::Waiting).count(), 2, "{states:?}");

        store.job_done(&lease, json!({})).await.unwrap();
        assert!(store.pieces(whole).await.unwrap().is_empty());
        assert!(!store.heartbeat(&theirs).await.unwrap(), "who is at one finds out");
        assert!(matches!(store.job_done(&theirs, json!({})).await, Err(StoreError::LostLease)));
    });
}

#[test]
fn a_job_that_waits_for_something_to_come_back_says_so_and_makes_no_attempt() {
    with_shot(|store, project, shot| async move {
        let id = store.enqueue(job(project, shot)).await.unwrap();
        for _ in 0..5 {
            let (_, lease) = take(&store, 1, "follow").await;
            assert_eq!(lease.attempt, 1);
            store.job_waits(&lease, "The films cannot be reached.").await.unwrap();
            assert!(matches!(store.job_waits(&lease, "late").await, Err(StoreError::LostLease)));
        }
        let waiting = store.job(id).await.unwrap();
        assert_eq!(
            (waiting.state, waiting.problem.as_deref()),
            (JobState::Waiting, Some("The films cannot be reached."))
        );
        let (job, lease) = take(&store, 1, "follow").await;
        assert_eq!(job.problem, None);
        store.job_done(&lease, json!({})).await.unwrap();
    });
}
