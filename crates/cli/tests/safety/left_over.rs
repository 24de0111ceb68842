//! What faults have left behind is gone after the next start; what belongs to somebody stays.

use std::fs::{self, File};
use std::path::{Path, PathBuf};
use std::time::{Duration, Instant, SystemTime};

use jampin_testkit::{Server, fresh_database, make_film};

use crate::PROGRAM;

const FILM: &str = "-f lavfi -i testsrc2=size=320x240:rate=25:duration=1 -pix_fmt yuv420p";
const UNKNOWN: &str = "00000000-0000-4000-8000-000000000001";

/// A file, or a folder with one, that was written three hours ago.
fn old(media: &Path, name: &str) -> PathBuf {
    let path = media.join(name);
    fs::create_dir_all(path.parent().unwrap()).unwrap();
    fs::write(&path, b"left over").unwrap();
    age(&path);
    path
}

fn age(path: &Path) {
    let then = SystemTime::now() - Duration::from_secs(3 * 3600);
    File::open(path).unwrap().set_modified(then).unwrap();
    let folder = path.parent().unwrap();
    if folder.file_name().is_some_and(|name| name == UNKNOWN) {
        File::open(folder).unwrap().set_modified(then).unwrap();
    }
}

fn until_gone(path: &Path) {
    let begun = Instant::now();
    while path.exists() {
        assert!(begun.elapsed() < Duration::from_secs(30), "{} is still there", path.display());
        std::thread::sleep(Duration::from_millis(20));
    }
}

fn left_overs(media: &Path) -> Vec<PathBuf> {
    let names = [
        format!("clips/{UNKNOWN}/original"),
        format!("uploads/{UNKNOWN}/original"),
        format!("exports/{UNKNOWN}.1.mp4"),
        format!("exports/{UNKNOWN}.mp4"),
        format!("pictures/{UNKNOWN}.raw"),
    ];
    names.iter().map(|name| old(media, name)).collect()
}

#[test]
fn files_without_a_row_are_gone_after_a_start_and_films_are_not() {
    let mut server = Server::start(PROGRAM, &[]);
    let films = tempfile::tempdir().unwrap();
    let shot = server.shot_of(&server.project("Open day"), &make_film(films.path(), "card.mp4", FILM));
    let clip = server.get(&format!("/api/shots/{shot}")).json()["clip"]["id"].as_str().unwrap().to_owned();
    let film = server.media().join("clips").join(&clip).join("original");
    server.kill();
    let left = left_overs(server.media());
    let young = server.media().join(format!("clips/{}/original", UNKNOWN.replace('1', "2")));
    fs::create_dir_all(young.parent().unwrap()).unwrap();
    fs::write(&young, b"coming in").unwrap();
    age(&film);
    server.restart();
    left.iter().for_each(|path| until_gone(path));
    assert!(film.exists() && young.exists());

    // The same folder and another database: nothing of it is known there, and nothing is taken for left over.
    server.kill();
    let left = left_overs(server.media());
    let other = Server::over(PROGRAM, &fresh_database(), server.media());
    until_gone(&left[1]);
    until_gone(&left[2]);
    assert!(film.exists() && left[0].exists() && left[3].exists());
    drop(other);
}
