//! What was deleted, over time.

use diesel::sql_types::Uuid as SqlUuid;
use diesel_async::{AsyncConnection, AsyncPgConnection, RunQueryDsl};
use jampin_core::edit::Edit;
use jampin_store::{FIRST_OWNER, NewJob, Picture, Remains, Store, StoreError};
use uuid::Uuid;

use super::with_shot;

async fn at(url: &str, statement: &str, id: Uuid) {
    let mut connection = AsyncPgConnection::establish(url).await.unwrap();
    diesel::sql_query(statement).bind::<SqlUuid, _>(id).execute(&mut connection).await.unwrap();
}

#[test]
fn a_project_is_outdated_after_thirty_days_and_not_before() {
    with_shot(async |store, project, shot| {
        let url = store.url().to_owned();
        store.delete_project(project, FIRST_OWNER).await.unwrap();
        let deleted = store.deleted_projects(FIRST_OWNER).await.unwrap();
        assert_eq!((deleted[0].goes_at - deleted[0].deleted_at).num_days(), 30);
        let days_ago =
            |days: u32| format!("UPDATE projects SET deleted_at = now() - interval '{days} days' WHERE id = $1");
        at(&url, &days_ago(29), project).await;
        assert!(store.outdated_projects().await.unwrap().is_empty());
        at(&url, &days_ago(31), project).await;
        assert_eq!(store.outdated_projects().await.unwrap(), [project]);
        let clips = store.clips(project).await.unwrap().iter().map(|clip| clip.id).collect();
        assert_eq!(
            store.purge_project(project, Some(FIRST_OWNER)).await.unwrap(),
            Remains { clips, ..Remains::default() }
        );
        assert!(matches!(store.shot(shot).await, Err(StoreError::NotFound("shot"))));
    });
}

#[test]
fn a_film_that_comes_in_for_a_deleted_project_is_refused() {
    with_shot(async |store, project, shot| {
        let clip = store.shot(shot).await.unwrap().info.clip_id;
        store.delete_project(project, FIRST_OWNER).await.unwrap();
        assert!(matches!(store.delete_clip(clip, FIRST_OWNER).await, Err(StoreError::Deleted)));
        assert!(matches!(store.edit(shot, 0, "x", &Edit::All { edits: vec![] }).await, Err(StoreError::Deleted)));
        assert!(matches!(super::bring_another(&store, project).await, Err(StoreError::Deleted)));
        assert!(matches!(store.delete_project(project, FIRST_OWNER).await, Err(StoreError::Deleted)), "only once");
        assert_eq!(store.clips(project).await.unwrap().len(), 1);
    });
}

async fn picture(store: &Store, project: Uuid, n: u128) -> Uuid {
    let id = Uuid::from_u128(n);
    let name = format!("{n}.png");
    store.create_picture(&Picture { id, project_id: project, name, width: 4, height: 4 }).await.unwrap();
    id
}

#[test]
fn a_deleted_picture_is_kept_while_undo_a_shot_or_a_look_has_it() {
    with_shot(async |store, project, shot| {
        let [forgotten, undone, offered] = [
            picture(&store, project, 91).await,
            picture(&store, project, 92).await,
            picture(&store, project, 93).await,
        ];
        // A log entry that speaks of it, whatever it says.
        let name = format!("made of {undone}");
        store.edit(shot, 0, "Add", &super::named_subject(&name)).await.unwrap();
        assert!(
            matches!(store.delete_picture(undone, FIRST_OWNER).await, Err(StoreError::InUse(why)) if why.contains("hangs in Yard"))
        );
        store.undo(shot, 1).await.unwrap();
        store.delete_picture(undone, FIRST_OWNER).await.unwrap();
        store.delete_picture(forgotten, FIRST_OWNER).await.unwrap();
        assert_eq!(store.forget_pictures().await.unwrap(), 1);
        let known = store.known().await.unwrap().pictures;
        assert_eq!(known, [undone, offered].into());
    });
}

#[test]
fn a_film_that_is_still_being_written_cannot_be_deleted() {
    with_shot(async |store, project, shot| {
        let export = NewJob { kind: "export".into(), ..super::job(project, shot) };
        let film = store.enqueue(export).await.unwrap();
        let other = store.enqueue(super::job(project, shot)).await.unwrap();
        assert!(
            matches!(store.delete_export(film, FIRST_OWNER).await, Err(StoreError::InUse(why)) if why.contains("Cancel it first"))
        );
        store.cancel_job(film).await.unwrap();
        store.cancel_job(other).await.unwrap();
        store.delete_export(film, FIRST_OWNER).await.unwrap();
        assert!(matches!(store.job(film).await, Err(StoreError::NotFound("job"))));
        assert!(
            matches!(store.delete_export(other, FIRST_OWNER).await, Err(StoreError::NotFound("export"))),
            "it is none"
        );
    });
}
