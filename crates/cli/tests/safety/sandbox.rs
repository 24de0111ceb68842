//! A program in ffmpeg's place that does what a decoder taken over by a film would try.

use std::fs;
use std::os::unix::fs::PermissionsExt;
use std::path::{Path, PathBuf};
use std::process::{Command, Output};

use jampin_testkit::Server;
use serde_json::json;

use crate::PROGRAM;

/// Says of each thing that it tries whether it could. Its words: the film, another file beside it, the file and the
/// folder it may write.
const INTRUDER: &str = r#"#!/usr/bin/perl
$| = 1;
my ($film, $other, $out, $folder) = @ARGV;
sub told { print "$_[0] ", ($_[1] ? "could" : "refused"), "\n" }
told("read the film", open(A, '<', $film));
told("write the film", open(B, '>>', $film));
told("read another film", open(C, '<', $other));
told("read /etc/passwd", open(D, '<', '/etc/passwd'));
told("look into the folder", opendir(E, '/tmp'));
told("open a socket", socket(F, 2, 1, 0));
told("open a local socket", socket(G, 1, 1, 0));
my $child = fork();
exit 0 if defined $child && $child == 0;
told("fork", defined $child);
told("write what it should", open(H, '>', $out));
told("make a picture", open(I, '>', "$folder/0.jpg.tmp") && rename("$folder/0.jpg.tmp", "$folder/0.jpg"));
told("write elsewhere", open(J, '>', "$film.new"));
told("see variables", scalar(grep { !/^(PWD|SHLVL|_)$/ } keys %ENV));
$SIG{XFSZ} = 'IGNORE';
my $filled = 1;
for (1 .. 64) { $filled = 0 unless syswrite(H, 'x' x 1048576) == 1048576 }
told("fill the disk", $filled);
"#;

fn put(dir: &Path, name: &str, text: &str) -> PathBuf {
    let path = dir.join(name);
    fs::write(&path, text).unwrap();
    fs::set_permissions(&path, fs::Permissions::from_mode(0o755)).unwrap();
    path
}

fn sandboxed(options: &[String], command: &[&Path]) -> Output {
    let limits = ["--memory=2000000000", "--processor=20"];
    Command::new(PROGRAM)
        .arg("sandboxed")
        .args(limits)
        .args(options)
        .arg("--")
        .args(command)
        .env_clear()
        .output()
        .unwrap()
}

fn keeps_files_away() -> bool {
    let said = sandboxed(&["--file=0".into()], &[]);
    let said = String::from_utf8_lossy(&said.stdout).into_owned();
    assert!(said.starts_with("true ") || said.starts_with("false "), "{said}");
    said.trim().ends_with("true")
}

#[test]
fn a_decoder_that_is_taken_over_reaches_its_film_and_nothing_else() {
    let dir = tempfile::tempdir().unwrap();
    let [film, other, out] = ["film", "other", "out"].map(|name| put(dir.path(), name, "film"));
    let folder = dir.path().join("pictures");
    fs::create_dir(&folder).unwrap();
    let intruder = put(dir.path(), "intruder", INTRUDER);
    let options = [
        format!("--reads={}", film.display()),
        format!("--writes={}", out.display()),
        format!("--writes={}", folder.display()),
        "--file=4194304".into(),
    ];
    let said = sandboxed(&options, &[&intruder, &film, &other, &out, &folder]);
    let text = String::from_utf8_lossy(&said.stdout);
    // What keeps files away is not on every system (Landlock, Linux 5.13); the log says so there.
    let held = if keeps_files_away() { "refused" } else { "could" };
    let expected = format!(
        "read the film could
write the film {held}
read another film {held}
read /etc/passwd {held}
look into the folder {held}
open a socket refused
open a local socket refused
fork refused
write what it should could
make a picture could
write elsewhere {held}
see variables refused
fill the disk refused
"
    );
    assert_eq!(text, expected, "{}", String::from_utf8_lossy(&said.stderr));
    assert!(out.metadata().unwrap().len() <= 4 << 20);

    // Outside it could do all of it: the check can fail.
    let free = Command::new(&intruder).args([&film, &other, &out, &folder]).output().unwrap();
    let text = String::from_utf8_lossy(&free.stdout);
    assert!(!text.contains("refused"), "{text}");
}

#[test]
fn memory_and_time_are_limited_too() {
    let dir = tempfile::tempdir().unwrap();
    let hungry = put(dir.path(), "hungry", "#!/usr/bin/perl\nmy $all = 'x' x 3_000_000_000; print length $all;\n");
    let said = sandboxed(&["--file=0".into()], &[&hungry]);
    assert!(!said.status.success() && said.stdout.is_empty(), "{said:?}");
    let busy = put(dir.path(), "busy", "#!/usr/bin/perl\n1 while 1;\n");
    let limits = ["--memory=2000000000", "--processor=1", "--file=0", "--"];
    let said = Command::new(PROGRAM).arg("sandboxed").args(limits).arg(&busy).output().unwrap();
    assert_eq!(said.status.code(), None, "ended by a signal: {said:?}");
}

#[test]
fn a_program_that_is_not_there_is_no_fault_of_the_film() {
    let server = Server::start_with_tools(PROGRAM, &[], &{
        let dir = tempfile::tempdir().unwrap().keep();
        put(&dir, "ffprobe", "#!/nowhere/interpreter\n");
        dir
    });
    let project = server.project("Open day");
    let film = tempfile::tempdir().unwrap();
    let answer = server.upload(&project, &put(film.path(), "film.mp4", "film"));
    assert_eq!(answer.status, 500, "{}", answer.text());
    assert_eq!(server.get(&format!("/api/projects/{project}")).json()["clips"], json!([]));
}
