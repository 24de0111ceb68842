//! The words of the command line. Every setting has a flag and an environment variable.

use std::ffi::OsString;
use std::net::IpAddr;
use std::path::PathBuf;

use clap::{Args, Parser, Subcommand, ValueEnum};
use url::Url;

/// Follow what moves in a film, and hang labels on it.
#[derive(Parser)]
#[command(name = "jampin", version, about, propagate_version = true)]
pub(crate) struct Cli {
    #[command(flatten)]
    pub log: LogArgs,
    #[command(subcommand)]
    pub command: Command,
}

#[derive(Args)]
pub(crate) struct LogArgs {
    /// How logs are written to standard error.
    #[arg(long, env = "JAMPIN_LOG_FORMAT", value_enum, default_value = "text", global = true)]
    pub log_format: LogFormat,
    /// What is logged: error, warn, info, debug or trace, also by part, as in "info,jampin_media=debug".
    #[arg(long, env = "JAMPIN_LOG", default_value = "info", global = true)]
    pub log: String,
}

#[derive(Clone, Copy, ValueEnum)]
pub(crate) enum LogFormat {
    /// For people at a terminal.
    Text,
    /// One JSON object a line, for programs.
    Json,
}

#[derive(Subcommand)]
pub(crate) enum Command {
    /// Serve the pages, and do the long work too unless told otherwise.
    Serve(Box<ServeArgs>),
    /// Do long work (preparing films, following, exporting) for a server that shares the database, and the media folder or
    /// the object store.
    Worker(WorkerArgs),
    /// Make a one-time link by which somebody sets a passphrase, as when no administrator can sign in any more.
    Link(LinkArgs),
    /// Bring the database's tables up to date.
    Migrate(DatabaseArgs),
    /// Copy the database and the media into a folder, while people work; into the same folder again only what is new.
    Backup(BackupArgs),
    /// Fill an unused database and an empty media folder from a backup.
    Restore(BackupArgs),
    /// Shut this process in, and become the program that reads other people's files.
    #[command(hide = true)]
    Sandboxed(SandboxedArgs),
    /// Make the SVG on standard input harmless.
    #[command(hide = true, name = jampin_jobs::HARMLESS_SVG)]
    HarmlessSvg,
    /// Make the demo films with the simulated camera, and a demo project of them.
    Demo(DemoArgs),
    /// Follow pins through a film, without server or database; write their samples as CSV.
    Track(TrackArgs),
    /// Make paths with few keyframes of samples, without server or database.
    Clean(CleanArgs),
    /// Paint what hangs on followed pins into a film, without server or database.
    Render(RenderArgs),
}

#[derive(Args, Clone)]
pub(crate) struct DatabaseArgs {
    /// PostgreSQL to use.
    #[arg(long, env = "JAMPIN_DATABASE", default_value = "postgres://jampin@127.0.0.1:5433/jampin")]
    pub database: String,
}

#[derive(Args, Clone)]
pub(crate) struct MediaArgs {
    /// Folder for films, pictures and exports.
    #[arg(long, env = "JAMPIN_MEDIA", default_value = ".local/media")]
    pub media: PathBuf,
    /// Object store for films, copies and exports, as s3://bucket/path; the folder is a cache of it then, of each host
    /// its own. How it is reached is said by AWS_ENDPOINT, AWS_REGION, AWS_ACCESS_KEY_ID, AWS_SECRET_ACCESS_KEY and
    /// AWS_ALLOW_HTTP.
    #[arg(long, env = "JAMPIN_OBJECT_STORE")]
    pub object_store: Option<String>,
    /// Gigabytes that planes (full-size frames ready for computing) may take; the longest unused go first.
    #[arg(long, env = "JAMPIN_PLANES_GB", default_value_t = 40.0)]
    pub planes_gb: f64,
    /// Gigabytes of the disk that are left free: work stops, and says so, before they are used.
    #[arg(long, env = "JAMPIN_RESERVE_GB", default_value_t = 1.0)]
    pub reserve_gb: f64,
    /// Gigabytes of memory that one ffmpeg may take.
    #[arg(long, env = "JAMPIN_FFMPEG_MEMORY_GB", default_value_t = 6.0)]
    pub ffmpeg_memory_gb: f64,
    /// Let ffmpeg see and do everything that this program may: only where the system has no sandbox.
    #[arg(long, env = "JAMPIN_NO_SANDBOX")]
    pub no_sandbox: bool,
    /// Seconds after which an ffmpeg that makes no progress is killed.
    #[arg(long, env = "JAMPIN_FFMPEG_PATIENCE", default_value_t = 60)]
    pub ffmpeg_patience: u64,
}

#[derive(Args)]
pub(crate) struct ServeArgs {
    #[command(flatten)]
    pub database: DatabaseArgs,
    #[command(flatten)]
    pub media: MediaArgs,
    #[command(flatten)]
    pub reach: ReachArgs,
    /// Port. 0 takes a free one.
    #[arg(long, env = "JAMPIN_PORT", default_value_t = 8710)]
    pub port: u16,
    /// Gigabytes that one uploaded film may have.
    #[arg(long, env = "JAMPIN_UPLOAD_GB", default_value_t = 8.0)]
    pub upload_gb: f64,
    /// Gigabytes that the films and exports of one project may take.
    #[arg(long, env = "JAMPIN_PROJECT_GB", default_value_t = 500.0)]
    pub project_gb: f64,
    /// Gigabytes that the films and exports of all projects together may take.
    #[arg(long, env = "JAMPIN_ALL_GB", default_value_t = 5000.0)]
    pub all_gb: f64,
    /// Whoever signs in by a passphrase needs a second factor.
    #[arg(long, env = "JAMPIN_SECOND_FACTOR")]
    pub second_factor: bool,
    #[command(flatten)]
    pub openid: OpenIdArgs,
    /// Whoever sends this as a bearer token may read /metrics; without one only administrators may.
    #[arg(long, env = "JAMPIN_METRICS_TOKEN", hide_env_values = true)]
    pub metrics_token: Option<String>,
    /// Leave the long work to `jampin worker` processes.
    #[arg(long, env = "JAMPIN_NO_WORKER")]
    pub no_worker: bool,
}

#[derive(Args)]
pub(crate) struct ReachArgs {
    /// Address to listen on. Any but loopback needs TLS or a proxy.
    #[arg(long, env = "JAMPIN_LISTEN", default_value = "127.0.0.1")]
    pub listen: IpAddr,
    /// What people type to get here, as https://films.example; needed with TLS or a proxy.
    #[arg(long, env = "JAMPIN_URL")]
    pub url: Option<Url>,
    /// Certificate chain for TLS, as PEM.
    #[arg(long, env = "JAMPIN_TLS_CERTIFICATE", requires = "tls_key")]
    pub tls_certificate: Option<PathBuf>,
    /// Its private key, as PEM.
    #[arg(long, env = "JAMPIN_TLS_KEY", requires = "tls_certificate")]
    pub tls_key: Option<PathBuf>,
    /// Address of the proxy in front, which does TLS: nobody else is answered.
    #[arg(long, env = "JAMPIN_PROXY", conflicts_with = "tls_key")]
    pub proxy: Option<IpAddr>,
    /// Hours without use after which a session ends.
    #[arg(long, env = "JAMPIN_SESSION_IDLE_HOURS", default_value_t = 72, value_parser = clap::value_parser!(u32).range(1..=8760))]
    pub session_idle_hours: u32,
    /// Hours after which a session ends however much it is used.
    #[arg(long, env = "JAMPIN_SESSION_HOURS", default_value_t = 720, value_parser = clap::value_parser!(u32).range(1..=8760))]
    pub session_hours: u32,
}

/// An identity provider, by which people may sign in, too (OpenID Connect).
#[derive(Args)]
pub(crate) struct OpenIdArgs {
    /// Its address, as https://people.example.
    #[arg(long, env = "JAMPIN_OPENID_ISSUER", requires = "openid_client")]
    pub openid_issuer: Option<String>,
    /// What Jam Pin is called there (client id); it has to be allowed to send people back to /sign-in/back.
    #[arg(long, env = "JAMPIN_OPENID_CLIENT")]
    pub openid_client: Option<String>,
    /// What Jam Pin shows that it is that (client secret), where the provider wants it.
    #[arg(long, env = "JAMPIN_OPENID_SECRET", hide_env_values = true)]
    pub openid_secret: Option<String>,
    /// What people call it; its host's name, if nothing is said.
    #[arg(long, env = "JAMPIN_OPENID_NAME")]
    pub openid_name: Option<String>,
}

#[derive(Args)]
pub(crate) struct LinkArgs {
    #[command(flatten)]
    pub database: DatabaseArgs,
    /// What people type to get here, as https://films.example.
    #[arg(long, env = "JAMPIN_URL", default_value = "http://127.0.0.1:8710")]
    pub url: Url,
    /// Whose it is; the first owner's where no name is given.
    pub name: Option<String>,
}

#[derive(Args)]
pub(crate) struct WorkerArgs {
    #[command(flatten)]
    pub database: DatabaseArgs,
    #[command(flatten)]
    pub media: MediaArgs,
    /// Kinds of work that it takes: follow, solve, prepare, export, sequence; all unless said.
    #[arg(long, env = "JAMPIN_KINDS", value_delimiter = ',')]
    pub kinds: Vec<String>,
    /// Jobs that it does at once. Unless kinds or lanes are said: following and solving on each processor, and one lane
    /// for the rest.
    #[arg(long, env = "JAMPIN_LANES")]
    pub lanes: Option<usize>,
}

#[derive(Args)]
pub(crate) struct SandboxedArgs {
    #[arg(long)]
    pub memory: u64,
    #[arg(long)]
    pub processor: u64,
    #[arg(long)]
    pub file: u64,
    #[arg(long)]
    pub reads: Vec<PathBuf>,
    #[arg(long)]
    pub writes: Vec<PathBuf>,
    /// The program and its words; without any, what holds on this system is said.
    #[arg(last = true)]
    pub command: Vec<OsString>,
}

#[derive(Args)]
pub(crate) struct BackupArgs {
    #[command(flatten)]
    pub database: DatabaseArgs,
    #[command(flatten)]
    pub media: MediaArgs,
    /// Folder of the backup.
    pub folder: PathBuf,
}

#[derive(Args)]
pub(crate) struct DemoArgs {
    #[command(flatten)]
    pub database: DatabaseArgs,
    #[command(flatten)]
    pub media: MediaArgs,
    /// Folder for the films and the truth beside them; what is there already is not made again.
    #[arg(long, env = "JAMPIN_DEMO", default_value = ".local/demo")]
    pub out: PathBuf,
    /// Only make the films; no database is needed.
    #[arg(long)]
    pub films_only: bool,
}

#[derive(Args)]
pub(crate) struct TrackArgs {
    /// The film.
    pub clip: PathBuf,
    /// The pins to follow, as JSON; docs/formats.md describes it.
    #[arg(long)]
    pub pins: PathBuf,
    /// Where the samples go, as CSV; `-` is standard output.
    #[arg(long)]
    pub out: PathBuf,
    /// Only these frames, first and last included, as in `20..180`.
    #[arg(long)]
    pub range: Option<String>,
    /// Pins followed at the same time. The result does not depend on it.
    #[arg(long, default_value_t = 2)]
    pub threads: usize,
    /// Let ffmpeg see and do everything that this program may: only where the system has no sandbox.
    #[arg(long, env = "JAMPIN_NO_SANDBOX")]
    pub no_sandbox: bool,
}

#[derive(Args)]
pub(crate) struct CleanArgs {
    /// The samples, as `jampin track` writes them, or any table with frame, x and y.
    pub samples: PathBuf,
    /// How far the path may stray from the cleaned samples, in pixels.
    #[arg(long, default_value_t = 0.5)]
    pub tolerance: f64,
    /// Frames a second that are written into the file, as in 25 or 30000/1001.
    #[arg(long, default_value = "25")]
    pub rate: String,
    /// Where the paths go: JSON, or keyframes alone as CSV by its ending; `-` is standard output.
    #[arg(long)]
    pub out: PathBuf,
}

#[derive(Args)]
pub(crate) struct RenderArgs {
    /// The film.
    pub clip: PathBuf,
    /// The samples and what hangs on them, as JSON; docs/formats.md describes it.
    #[arg(long)]
    pub scene: PathBuf,
    /// The film to write: .mp4 or .webm; with --graphics .webm, .mov or .zip.
    #[arg(long)]
    pub out: PathBuf,
    /// The graphics alone, with transparency.
    #[arg(long)]
    pub graphics: bool,
    /// Let ffmpeg see and do everything that this program may: only where the system has no sandbox.
    #[arg(long, env = "JAMPIN_NO_SANDBOX")]
    pub no_sandbox: bool,
}
