//! A child process that is watched: drained, and killed when it hangs, takes too long or is not wanted any more.

use std::io::{BufRead, BufReader, Read, Write};
use std::os::unix::process::ExitStatusExt;
use std::process::{Child, ChildStderr, Command, ExitStatus};
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};
use std::sync::{Arc, Mutex, MutexGuard};
use std::thread::JoinHandle;
use std::time::{Duration, Instant};

use crate::tools::Call;
use crate::{MediaError, Tools};

/// How often the watcher looks: a cancel shows within this time.
const WATCH_EVERY: Duration = Duration::from_millis(25);
/// Bytes of what the process said last that are kept.
const TAIL: usize = 4000;

/// Bytes that our own program may answer.
const MOST_FROM_OURSELVES: u64 = 64 << 20;

/// Asks a long computation to stop. Clones ask the same computation.
#[derive(Clone, Debug, Default)]
pub struct Cancel {
    asked: Arc<AtomicBool>,
    deadline: Option<Instant>,
}

impl Cancel {
    /// Asks it to stop by itself after so long.
    pub fn after(patience: Duration) -> Self {
        Self { deadline: Some(Instant::now() + patience), ..Self::default() }
    }

    /// Asks it to stop.
    pub fn cancel(&self) {
        self.asked.store(true, Ordering::Relaxed);
    }

    /// Whether it was asked to stop.
    pub fn is_cancelled(&self) -> bool {
        self.asked.load(Ordering::Relaxed) || self.deadline.is_some_and(|deadline| Instant::now() >= deadline)
    }
}

/// A running, watched process.
pub(crate) struct Watched {
    program: String,
    shared: Arc<Shared>,
    stderr: Option<JoinHandle<String>>,
    watcher: Option<JoinHandle<()>>,
}

struct Shared {
    child: Mutex<Child>,
    started: Instant,
    /// Milliseconds from the start to the last sign of progress.
    progress: AtomicU64,
    ended: AtomicBool,
    killed: Mutex<Option<Killed>>,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Killed {
    Cancelled,
    Hung,
}

/// When the watcher steps in.
pub(crate) struct Watch {
    /// No progress for this long.
    pub quiet: Duration,
    pub cancel: Cancel,
}

fn lock<T>(mutex: &Mutex<T>) -> MutexGuard<'_, T> {
    mutex.lock().unwrap_or_else(std::sync::PoisonError::into_inner)
}

impl Watched {
    /// Starts the process; `line` is given every line it writes to standard error and says whether to keep it for
    /// the error message.
    pub fn start(
        command: impl Into<Command>,
        watch: Watch,
        line: impl FnMut(&str) -> bool + Send + 'static,
    ) -> Result<(Self, Pipes), MediaError> {
        let mut command = command.into();
        let program = name_of(&command);
        let mut child = command.spawn().map_err(MediaError::io(format!("starting {program}")))?;
        let pipes = Pipes { stdin: child.stdin.take(), stdout: child.stdout.take() };
        let stderr = child.stderr.take().map(|stderr| std::thread::spawn(move || drain(stderr, line)));
        let shared = Arc::new(Shared {
            child: Mutex::new(child),
            started: Instant::now(),
            progress: AtomicU64::new(0),
            ended: AtomicBool::new(false),
            killed: Mutex::new(None),
        });
        let watched = Arc::clone(&shared);
        let watcher = std::thread::spawn(move || watched.watch(&watch));
        Ok((Self { program, shared, stderr, watcher: Some(watcher) }, pipes))
    }

    /// Tells the watcher that something was achieved.
    pub fn progress(&self) {
        let now = self.shared.started.elapsed().as_millis() as u64;
        self.shared.progress.store(now, Ordering::Relaxed);
    }

    /// Waits for the end. An error when it was killed, by us or by somebody else; otherwise how it ended and the last
    /// it said.
    pub fn wait(mut self) -> Result<(ExitStatus, String), MediaError> {
        let status = loop {
            let status = lock(&self.shared.child).try_wait().map_err(MediaError::io("waiting for a child"))?;
            match status {
                Some(status) => break status,
                None => std::thread::sleep(Duration::from_millis(2)),
            }
        };
        self.shared.ended.store(true, Ordering::Relaxed);
        let tail = self.stderr.take().and_then(|thread| thread.join().ok()).unwrap_or_default();
        match *lock(&self.shared.killed) {
            Some(Killed::Cancelled) => Err(MediaError::Cancelled),
            Some(Killed::Hung) => Err(MediaError::Limit(format!(
                "{} made no progress for too long and was stopped; the film may be damaged",
                self.program
            ))),
            None => match status.signal() {
                Some(signal) => Err(MediaError::Ended { program: self.program.clone(), signal }),
                None => Ok((status, tail)),
            },
        }
    }

    /// Waits, and makes an error of a bad end.
    pub fn finish(self) -> Result<String, MediaError> {
        let program = self.program.clone();
        let (status, tail) = self.wait()?;
        if status.success() {
            Ok(tail)
        } else if tail.contains("No space left on device") {
            Err(MediaError::Full)
        } else {
            Err(MediaError::Tool { program, status: status.to_string(), tail: tail.trim().to_owned() })
        }
    }
}

impl Drop for Watched {
    fn drop(&mut self) {
        self.shared.ended.store(true, Ordering::Relaxed);
        // Whoever lets go of a process does not want it to run on.
        let mut child = lock(&self.shared.child);
        if matches!(child.try_wait(), Ok(None)) {
            let _ = child.kill();
            let _ = child.wait();
        }
        drop(child);
        if let Some(watcher) = self.watcher.take() {
            let _ = watcher.join();
        }
    }
}

/// The pipes of a started process.
pub(crate) struct Pipes {
    pub stdin: Option<std::process::ChildStdin>,
    pub stdout: Option<std::process::ChildStdout>,
}

impl Shared {
    fn watch(&self, watch: &Watch) {
        while !self.ended.load(Ordering::Relaxed) {
            let idle = self.started.elapsed().as_millis() as u64 - self.progress.load(Ordering::Relaxed);
            let reason = match () {
                () if watch.cancel.is_cancelled() => Some(Killed::Cancelled),
                () if Duration::from_millis(idle) > watch.quiet => Some(Killed::Hung),
                () => None,
            };
            if let Some(reason) = reason {
                let mut child = lock(&self.child);
                if matches!(child.try_wait(), Ok(None)) {
                    *lock(&self.killed) = Some(reason);
                    let _ = child.kill();
                }
                return;
            }
            std::thread::sleep(WATCH_EVERY);
        }
    }
}

/// The name of what is run in the end: it follows `--` where something else starts it.
fn name_of(command: &Command) -> String {
    let started = command.get_args().skip_while(|arg| *arg != "--").nth(1).unwrap_or(command.get_program());
    let name = std::path::Path::new(started).file_name().unwrap_or(started);
    name.to_string_lossy().into_owned()
}

fn drain(stderr: ChildStderr, mut line: impl FnMut(&str) -> bool) -> String {
    let mut tail = String::new();
    let mut reader = BufReader::new(stderr);
    let mut bytes = Vec::new();
    // A line without an end must not fill the memory.
    while matches!(reader.by_ref().take(64 << 10).read_until(b'\n', &mut bytes), Ok(count) if count > 0) {
        let text = String::from_utf8_lossy(&bytes);
        if line(text.trim_end()) {
            tail.push_str(&text);
            if tail.len() > 2 * TAIL {
                let cut = tail.char_indices().map(|(i, _)| i).find(|i| *i >= tail.len() - TAIL).unwrap_or(0);
                tail.drain(..cut);
            }
        }
        bytes.clear();
    }
    tail
}

/// Has our own program do something (`word`) with bytes, shut in; what it wrote to standard output. `None` where there
/// is no sandbox.
pub fn by_ourselves(tools: &Tools, word: &str, input: &[u8]) -> Option<Result<Vec<u8>, MediaError>> {
    let call = tools.ourselves(word)?;
    Some(handed(call, input, tools.limits.probe))
}

fn handed(command: impl Into<Command>, input: &[u8], patience: Duration) -> Result<Vec<u8>, MediaError> {
    let watch = Watch { quiet: patience, cancel: Cancel::default() };
    let (watched, pipes) = Watched::start(command, watch, |_| true)?;
    let (stdin, stdout) = (pipes.stdin, pipes.stdout);
    let mut out = Vec::new();
    std::thread::scope(|scope| {
        // One that does not read to the end has its reasons, and says them.
        scope.spawn(|| stdin.map(|mut stdin| stdin.write_all(input)));
        stdout.map_or(Ok(0), |stdout| stdout.take(MOST_FROM_OURSELVES).read_to_end(&mut out))
    })
    .map_err(MediaError::io("reading from a child"))?;
    watched.finish().map(|_| out)
}

/// Runs a command to its end and gives what it wrote to standard output, at most `most` bytes.
pub(crate) fn output(command: impl Into<Command>, quiet: Duration, most: u64) -> Result<(Vec<u8>, String), MediaError> {
    let watch = Watch { quiet, cancel: Cancel::default() };
    let (watched, pipes) = Watched::start(command, watch, |_| true)?;
    let mut out = Vec::new();
    if let Some(stdout) = pipes.stdout {
        stdout.take(most).read_to_end(&mut out).map_err(MediaError::io("reading from a child"))?;
    }
    let tail = watched.finish()?;
    Ok((out, tail))
}

/// Runs ffmpeg to its end, called with `-progress pipe:1`: what it says of its progress keeps the watch from taking it
/// for hung. `report` is told how many frames are done.
pub(crate) fn with_progress(command: Call, watch: Watch, report: &mut dyn FnMut(u32)) -> Result<(), MediaError> {
    let (watched, pipes) = Watched::start(command, watch, |_| true)?;
    if let Some(said) = pipes.stdout {
        for line in BufReader::new(said).lines().map_while(Result::ok) {
            watched.progress();
            if let Some(Ok(frames)) = line.strip_prefix("frame=").map(|text| text.trim().parse()) {
                report(frames);
            }
        }
    }
    watched.finish().map(|_| ())
}

#[cfg(test)]
mod tests {
    use std::process::Stdio;

    use super::*;

    fn shell(script: &str) -> Command {
        let mut command = Command::new("sh");
        command.args(["-c", script]).stdout(Stdio::piped()).stderr(Stdio::piped());
        command
    }

    #[test]
    fn a_hanging_process_is_killed() {
        let begun = Instant::now();
        let error = output(shell("exec sleep 30"), Duration::from_millis(200), 10).unwrap_err();
        assert!(matches!(error, MediaError::Limit(_)), "{error:?}");
        assert!(begun.elapsed() < Duration::from_secs(10));
    }

    #[test]
    fn a_cancelled_process_is_killed_and_says_so() {
        let cancel = Cancel::default();
        let watch = Watch { quiet: Duration::from_secs(60), cancel: cancel.clone() };
        let (watched, _pipes) = Watched::start(shell("exec sleep 30"), watch, |_| true).unwrap();
        cancel.cancel();
        assert!(matches!(watched.finish(), Err(MediaError::Cancelled)));
    }

    #[test]
    fn one_that_the_system_ends_is_told_from_one_that_fails() {
        let error = output(shell("kill -9 $$"), Duration::from_secs(10), 10).unwrap_err();
        assert!(matches!(error, MediaError::Ended { signal: 9, .. }), "{error:?}");
    }

    #[test]
    fn a_failure_carries_the_last_words() {
        let error = output(shell("echo no such luck >&2; exit 3"), Duration::from_secs(10), 10).unwrap_err();
        assert!(error.to_string().contains("no such luck"), "{error}");
    }

    #[test]
    fn a_full_disk_is_told_from_a_failure() {
        let script = "echo 'av_interleaved_write_frame(): No space left on device' >&2; exit 1";
        let error = output(shell(script), Duration::from_secs(10), 10).unwrap_err();
        assert!(matches!(error, MediaError::Full), "{error:?}");
    }

    #[test]
    fn a_deadline_cancels_by_itself() {
        assert!(!Cancel::after(Duration::from_secs(60)).is_cancelled());
        assert!(Cancel::after(Duration::ZERO).is_cancelled());
    }
}
