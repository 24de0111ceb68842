//! The whole database as of one moment, into a file and back, with PostgreSQL's own tools.

use std::path::Path;
use std::process::Stdio;

use diesel::sql_types::Text;
use diesel::{QueryDsl, QueryableByName};
use diesel_async::{AsyncConnection, AsyncPgConnection, RunQueryDsl};
use tokio::process::Command;
use tokio_postgres::Config;
use tokio_postgres::config::Host;
use uuid::Uuid;

use crate::known::known;
use crate::schema::{installation, projects};
use crate::{Known, Store, StoreError};

/// The database as it was when this was taken, whatever is changed meanwhile.
pub struct Snapshot {
    connection: AsyncPgConnection,
    name: String,
    at: Config,
}

#[derive(QueryableByName)]
struct Named {
    #[diesel(sql_type = Text)]
    name: String,
}

impl Store {
    /// Holds on to what the database has now.
    pub async fn snapshot(&self) -> Result<Snapshot, StoreError> {
        let mut connection = AsyncPgConnection::establish(self.url()).await.map_err(StoreError::unreachable)?;
        diesel::sql_query("BEGIN ISOLATION LEVEL REPEATABLE READ READ ONLY").execute(&mut connection).await?;
        let exported = diesel::sql_query("SELECT pg_export_snapshot() AS name");
        let Named { name } = exported.get_result(&mut connection).await?;
        Ok(Snapshot { connection, name, at: parsed(self.url())? })
    }

    /// Whether nobody has begun a project in it, as in a database that was just made.
    pub async fn is_unused(&self) -> Result<bool, StoreError> {
        let mut connection = self.connection().await?;
        let table = diesel::sql_query("SELECT coalesce(to_regclass('public.projects')::text, '') AS name");
        let Named { name } = table.get_result(&mut connection).await?;
        if name.is_empty() {
            return Ok(true);
        }
        let count: i64 = projects::table.count().get_result(&mut connection).await?;
        Ok(count == 0)
    }

    /// Fills an unused database from a file that [`Snapshot::dump`] wrote: with all of it or nothing.
    pub async fn load_dump(&self, file: &Path) -> Result<(), StoreError> {
        let at = parsed(self.url())?;
        let mut restore = tool("pg_restore", &at);
        restore.args(["--clean", "--if-exists", "--no-owner", "--no-privileges", "--single-transaction"]);
        restore.arg("--dbname").arg(at.get_dbname().unwrap_or_default());
        run(restore.arg(file), "pg_restore").await
    }
}

impl Snapshot {
    /// Which database it is of.
    pub async fn installation(&mut self) -> Result<Uuid, StoreError> {
        Ok(installation::table.select(installation::id).first(&mut self.connection).await?)
    }

    /// What there were rows for.
    pub async fn known(&mut self) -> Result<Known, StoreError> {
        known(&mut self.connection).await
    }

    /// Writes it into a file.
    pub async fn dump(&self, file: &Path) -> Result<(), StoreError> {
        let mut dump = tool("pg_dump", &self.at);
        dump.args(["--format=custom", "--no-owner", "--no-privileges", "--snapshot", &self.name])
            .arg("--file")
            .arg(file);
        run(&mut dump, "pg_dump").await
    }
}

fn parsed(url: &str) -> Result<Config, StoreError> {
    url.parse().map_err(|error| StoreError::Unreachable(format!("its address makes no sense: {error}")))
}

/// A tool of PostgreSQL's that is told where the database is by its environment: everybody can read a command line.
fn tool(name: &str, at: &Config) -> Command {
    let host = at.get_hosts().first().map(|host| match host {
        Host::Tcp(name) => name.clone(),
        Host::Unix(folder) => folder.to_string_lossy().into_owned(),
    });
    let password = at.get_password().map(|password| String::from_utf8_lossy(password).into_owned());
    let mut command = Command::new(name);
    command
        .envs(host.map(|host| ("PGHOST", host)))
        .env("PGPORT", at.get_ports().first().copied().unwrap_or(5432).to_string())
        .envs(at.get_user().map(|user| ("PGUSER", user)))
        .envs(password.map(|password| ("PGPASSWORD", password)))
        .envs(at.get_dbname().map(|name| ("PGDATABASE", name)))
        .stdin(Stdio::null())
        .stdout(Stdio::null())
        .stderr(Stdio::piped())
        .kill_on_drop(true);
    command
}

async fn run(command: &mut Command, name: &str) -> Result<(), StoreError> {
    let started = command.spawn().map_err(|error| StoreError::Tool(format!("{name} cannot be started: {error}")))?;
    let ended = started.wait_with_output().await.map_err(|error| StoreError::Tool(format!("{name}: {error}")))?;
    let said = String::from_utf8_lossy(&ended.stderr);
    if ended.status.success() { Ok(()) } else { Err(StoreError::Tool(format!("{name} failed: {}", said.trim()))) }
}
