//! How ffmpeg and ffprobe are called: allow-lists, no network, limits.

use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};
use std::time::Duration;

/// Containers that a film may come in. Lists of other files (playlists, concatenations) and devices are not among
/// them: a film must not make the server read anything but itself.
const DEMUXERS: &str =
    "mov,matroska,webm,avi,mpegts,mpeg,mpegvideo,ogg,flv,asf,mxf,gif,apng,ivf,h264,hevc,dv,nut,y4m,yuv4mpegpipe";
/// A film may be read from the file given and from our own pipes; nothing else, and no network.
const PROTOCOLS: &str = "file,pipe";

/// What a child process may use.
#[derive(Clone, Copy, Debug)]
pub struct Limits {
    /// Address space, in bytes. Encoding 3840x2160 takes about 3 GB.
    pub memory: u64,
    /// It is killed when it makes no progress for this long.
    pub quiet: Duration,
    /// A probe is killed after this long, whatever it does.
    pub probe: Duration,
}

impl Default for Limits {
    fn default() -> Self {
        Self { memory: 6 << 30, quiet: Duration::from_secs(60), probe: Duration::from_secs(20) }
    }
}

/// The two programs, and what they may use.
#[derive(Clone, Debug)]
pub struct Tools {
    ffmpeg: PathBuf,
    ffprobe: PathBuf,
    /// What a child process may use.
    pub limits: Limits,
}

impl Default for Tools {
    fn default() -> Self {
        Self { ffmpeg: "ffmpeg".into(), ffprobe: "ffprobe".into(), limits: Limits::default() }
    }
}

impl Tools {
    /// Programs at these places instead of those on the path.
    pub fn at(ffmpeg: PathBuf, ffprobe: PathBuf) -> Self {
        Self { ffmpeg, ffprobe, limits: Limits::default() }
    }

    pub(crate) fn ffmpeg(&self) -> Command {
        let mut command = self.limited(&self.ffmpeg);
        command.args(["-nostdin", "-hide_banner", "-y"]);
        command
    }

    pub(crate) fn ffprobe(&self) -> Command {
        let mut command = self.limited(&self.ffprobe);
        command.args(["-hide_banner", "-loglevel", "error", "-of", "json"]);
        command
    }

    fn limited(&self, program: &Path) -> Command {
        // prlimit comes with every Debian (util-linux) and spares us unsafe code.
        let mut command = Command::new("prlimit");
        command.arg(format!("--as={}", self.limits.memory)).arg("--core=0").arg("--").arg(program);
        command.stdin(Stdio::null()).stdout(Stdio::piped()).stderr(Stdio::piped());
        command
    }
}

/// Input options and the input itself: a film on disk.
pub(crate) fn input(command: &mut Command, path: &Path) {
    command.args(["-protocol_whitelist", PROTOCOLS, "-format_whitelist", DEMUXERS]);
    // The prefix keeps a name with a colon in it from being read as a protocol.
    let mut name = std::ffi::OsString::from("file:");
    name.push(path);
    command.arg("-i").arg(name);
}
