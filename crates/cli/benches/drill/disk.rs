//! A disk that is full: a small tmpfs under the media folder, and every kind of write into it.

use std::path::Path;
use std::process::Command;

use jampin_testkit::{make_film, request};
use serde_json::{Value, json};

use crate::party::{Party, text};

const FILM: &str = "-f lavfi -i mandelbrot=size=640x360:rate=25:start_scale=0.8:end_scale=0.7:end_pts=900 -t 6 -preset ultrafast -crf 12 -pix_fmt yuv420p";
const CREST: &[u8] =
    b"<svg xmlns='http://www.w3.org/2000/svg' width='40' height='20'><rect width='40' height='20'/></svg>";

pub(crate) fn run() {
    let films = tempfile::tempdir().expect("room for a film");
    let film = make_film(films.path(), "film.mp4", FILM);
    let mut party = Party::begin(&["--reserve-gb", "0"]);
    party.kill_server();
    party.kill_workers();
    let media = party.media();
    let mounted = Command::new("mount").args(["-t", "tmpfs", "-o", "size=200m", "none"]).arg(&media).status();
    if !mounted.is_ok_and(|status| status.success()) {
        println!("no tmpfs can be mounted here: this drill needs root");
        return;
    }
    let ended = std::panic::catch_unwind(std::panic::AssertUnwindSafe(|| drill(&mut party, &film)));
    party.kill_server();
    party.kill_workers();
    let _ = Command::new("umount").arg(&media).status();
    if let Err(panic) = ended {
        std::panic::resume_unwind(panic);
    }
    println!("\nno invariant broken");
}

/// Fills the disk but for so many bytes.
fn fill(media: &Path, leave: u64) {
    let free = || -> u64 {
        let output = Command::new("df").args(["--output=avail", "-B1"]).arg(media).output().expect("df runs");
        String::from_utf8_lossy(&output.stdout).lines().nth(1).and_then(|line| line.trim().parse().ok()).unwrap_or(0)
    };
    let ballast = media.join("ballast");
    let _ = std::fs::remove_file(&ballast);
    let size = free().saturating_sub(leave);
    let made =
        Command::new("fallocate").arg("-l").arg(size.to_string()).arg(&ballast).status().expect("fallocate runs");
    assert!(made.success());
}

fn drill(party: &mut Party, film: &Path) {
    party.start_server();
    party.start_worker();
    let media = party.media();
    let project = party.project("Drill");
    let shot = party.shot_of(&project, film);
    let path = format!("/api/shots/{shot}");

    fill(&media, 100_000);
    let refused = party.upload(&project, film);
    assert!(refused.status == 507 && refused.text().contains("Make room"), "{}", refused.text());
    println!("upload: {}", refused.text());
    let picture = format!("/api/projects/{project}/pictures?name=crest.svg");
    fill(&media, 0);
    let refused = request(party.address(), "PUT", &picture, "", CREST);
    assert_eq!(refused.status, 507, "{}", refused.text());
    println!("picture: {}", refused.text());
    let edit = json!({ "revision": 0, "title": "No cut", "edit": { "edit": "set_no_cuts", "frames": [20] } });
    assert_eq!(party.send("POST", &format!("{path}/edits"), &edit).status, 200, "an edit is the database's");
    let full = party.get(&format!("/clips/{}/frames/30.full.jpg", text(&party.get(&path).json()["clip"]["id"])));
    assert_eq!(full.status, 200, "a picture that cannot be kept is shown all the same");

    let told = |party: &Party| {
        party.settle();
        party.get("/api/queue").json()[0].clone()
    };
    fill(&media, 300_000);
    party.send("POST", &format!("{path}/exports"), &json!({ "container": "mp4" }));
    let job = told(party);
    assert!(job["state"] == "failed" && says_full(&job), "{job}");
    println!("export: {}", job["problem"]);
    assert_eq!(std::fs::read_dir(media.join("exports")).map_or(0, Iterator::count), 0, "nothing half-made");

    let bytes = std::fs::metadata(film).map_or(0, |meta| meta.len());
    fill(&media, bytes + 3_000_000);
    let second = party.upload(&project, film);
    assert_eq!(second.status, 201, "{}", second.text());
    let second = text(&second.json()["shot"]);
    let job = told(party);
    assert!(job["state"] == "failed" && says_full(&job), "{job}");
    let clip = party.get(&format!("/api/shots/{second}")).json()["clip"].clone();
    assert_eq!(clip["state"], "failed", "{clip}");
    println!("preparing: {}", clip["problem"]);
    // With room again it goes on.
    std::fs::remove_file(media.join("ballast")).expect("the ballast goes");
    party.send("POST", &format!("/api/clips/{}/prepare", text(&clip["id"])), &json!({}));
    let ready = |state: &Value| state["clip"]["state"] == "ready";
    party.wait(&format!("/api/shots/{second}"), std::time::Duration::from_secs(60), ready);
    println!("after room was made: {}", party.get(&format!("/api/shots/{second}")).json()["clip"]["state"]);
    crate::checker::rows_and_files(party);
}

fn says_full(job: &Value) -> bool {
    job["problem"].as_str().is_some_and(|problem| problem.contains("disk of the server is full"))
}
