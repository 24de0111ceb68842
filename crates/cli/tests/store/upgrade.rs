//! A database of the version before, with work in it, is brought up to date.

use std::path::Path;

use diesel::sql_types::Text;
use diesel_async::{AsyncConnection, AsyncPgConnection, RunQueryDsl, SimpleAsyncConnection};
use jampin_store::{FIRST_OWNER, Role, Store, Thing};
use jampin_testkit::fresh_database;
use uuid::Uuid;

/// The last migration before there were people.
const BEFORE: &str = "2026-11-28-000004_arriving";

/// Brings a database to where that version left it, as Diesel writes it down.
async fn as_before(connection: &mut AsyncPgConnection) {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../store/migrations");
    let mut names: Vec<String> = std::fs::read_dir(&folder)
        .unwrap()
        .map(|entry| entry.unwrap().file_name().into_string().unwrap())
        .filter(|name| name.as_str() <= BEFORE)
        .collect();
    names.sort();
    assert_eq!(names.last().map(String::as_str), Some(BEFORE));
    let noted = "CREATE TABLE __diesel_schema_migrations (version varchar(50) PRIMARY KEY, run_on timestamp NOT NULL DEFAULT now())";
    connection.batch_execute(noted).await.unwrap();
    for name in names {
        let up = std::fs::read_to_string(folder.join(&name).join("up.sql")).unwrap();
        connection.batch_execute(&up).await.unwrap();
        // Diesel's own: the numbers of the name, without what divides them.
        let version: String = name.split('_').next().unwrap().replace('-', "");
        let note = diesel::sql_query("INSERT INTO __diesel_schema_migrations (version) VALUES ($1)");
        note.bind::<Text, _>(version).execute(connection).await.unwrap();
    }
}

#[test]
fn what_was_there_before_there_were_people_is_the_first_owner_s() {
    let runtime = tokio::runtime::Builder::new_multi_thread().worker_threads(2).enable_all().build().unwrap();
    runtime.block_on(async {
        let url = fresh_database();
        let mut connection = AsyncPgConnection::establish(&url).await.unwrap();
        as_before(&mut connection).await;
        let (project, deleted) = (Uuid::from_u128(5), Uuid::from_u128(6));
        let owner = FIRST_OWNER;
        let before = format!(
            "INSERT INTO projects (id, owner_id, name) VALUES ('{project}', '{owner}', 'Open day');
             INSERT INTO projects (id, owner_id, name, deleted_at) VALUES ('{deleted}', '{owner}', 'Old', now());
             INSERT INTO audit (owner_id, what) VALUES ('{owner}', 'Project “Old” deleted');"
        );
        connection.batch_execute(&before).await.unwrap();

        let store = Store::new(&url).unwrap();
        store.migrate().await.unwrap();
        store.migrate().await.unwrap();
        let me = store.person(owner).await.unwrap();
        assert!(me.administrator && !me.signs_in, "{me:?}");
        let mine = store.projects(owner).await.unwrap();
        assert_eq!(mine.iter().map(|one| (one.project.id, one.role)).collect::<Vec<_>>(), [(project, Role::Owner)]);
        assert_eq!(store.role(owner, Thing::Project(deleted)).await.unwrap(), Some(Role::Owner));
        store.restore_project(deleted, owner).await.unwrap();
        let said: Vec<_> =
            store.audit(None, 10).await.unwrap().into_iter().map(|entry| (entry.who, entry.what)).collect();
        let by_me = |what: &str| (Some("This machine".to_owned()), what.to_owned());
        assert_eq!(said, [by_me("Project “Old” had back"), by_me("Project “Old” deleted")]);

        // And back: each step down leaves what the step up before it needs.
        let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../store/migrations");
        let mut newer: Vec<_> = std::fs::read_dir(&folder).unwrap().map(|entry| entry.unwrap().path()).collect();
        newer.sort();
        newer.retain(|path| path.file_name().unwrap().to_str().unwrap() > BEFORE);
        for path in newer.iter().rev() {
            let down = std::fs::read_to_string(path.join("down.sql")).unwrap();
            connection.batch_execute(&down).await.unwrap();
        }
        let kept = "DO $$ BEGIN ASSERT (SELECT count(*) FROM projects WHERE owner_id IS NOT NULL) = 2; END $$";
        connection.batch_execute(kept).await.unwrap();
    });
}
