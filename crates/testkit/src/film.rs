//! Films for tests, and looking into films.

use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};

/// Makes a film with ffmpeg. `arguments` are what comes between `ffmpeg -y` and the name of the file.
///
/// # Panics
/// When ffmpeg does: a test cannot go on without its film.
pub fn make_film(dir: &Path, name: &str, arguments: &str) -> PathBuf {
    let path = dir.join(name);
    let output = Command::new("ffmpeg")
        .args(["-nostdin", "-hide_banner", "-loglevel", "error", "-y"])
        .args(arguments.split_whitespace())
        .arg(&path)
        .output()
        .expect("ffmpeg runs");
    assert!(output.status.success(), "{arguments}: {}", String::from_utf8_lossy(&output.stderr));
    path
}

/// All frames of a film as packed RGB, 8 bits, as ffmpeg decodes them.
///
/// # Panics
/// When ffmpeg does.
pub fn decode_rgb(path: &Path, width: usize, height: usize) -> Vec<Vec<u8>> {
    let output = Command::new("ffmpeg")
        .args(["-nostdin", "-hide_banner", "-loglevel", "error", "-i"])
        .arg(path)
        .args(["-fps_mode", "passthrough", "-f", "rawvideo", "-pix_fmt", "rgb24", "pipe:1"])
        .stderr(Stdio::inherit())
        .output()
        .expect("ffmpeg runs");
    assert!(output.status.success());
    output.stdout.chunks_exact(width * height * 3).map(<[u8]>::to_vec).collect()
}

/// What ffprobe says about a file for `-show_entries ENTRIES`, one value a line.
///
/// # Panics
/// When ffprobe does.
pub fn probe_values(path: &Path, entries: &str) -> Vec<String> {
    let output = Command::new("ffprobe")
        .args(["-loglevel", "error", "-of", "csv=p=0", "-show_entries", entries])
        .arg(path)
        .output()
        .expect("ffprobe runs");
    assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
    let text = String::from_utf8_lossy(&output.stdout).into_owned();
    text.lines().map(|line| line.trim_end_matches(',').to_owned()).filter(|line| !line.is_empty()).collect()
}

/// A clip that was really filmed, `carphone.mp4` or `street.mp4`: fetched by `bin/real-film`, not part of the project.
///
/// # Panics
/// When it is not there and cannot be fetched.
pub fn real_film(name: &str) -> PathBuf {
    let root = Path::new(env!("CARGO_MANIFEST_DIR")).join("../..");
    let fetched = Command::new(root.join("bin/real-film")).status().expect("bin/real-film runs");
    assert!(fetched.success(), "the real film could not be fetched");
    root.join("target/real-film").join(name)
}
