//! Numbered pictures come in, as programs see it.

use std::path::Path;
use std::process::Command;

use jampin_testkit::{Answer, Server, make_film, request};

use super::PROGRAM;

/// Brings the pictures of a folder in as a tar file.
fn bring(server: &Server, project: &str, folder: &Path, names: &[&str], rate: &str) -> Answer {
    let packed = Command::new("tar").arg("-C").arg(folder).args(["-cf", "-"]).args(names).output().unwrap();
    assert!(packed.status.success());
    let path = format!("/api/projects/{project}/clips?name=yard.tar&rate={rate}");
    request(&server.address, "PUT", &path, "", &packed.stdout)
}

#[test]
fn numbered_pictures_become_a_shot_with_their_rate() {
    let server = Server::start(PROGRAM, &[]);
    let dir = tempfile::tempdir().unwrap();
    let source = "-f lavfi -i testsrc2=size=320x180:rate=25:duration=1 -frames:v 6 -start_number 8 -f image2";
    make_film(dir.path(), "yard_%04d.png", source);
    let project = server.project("Open day");
    let names = ["yard_0008.png", "yard_0009.png", "yard_0011.png", "yard_0012.png"];
    let made = bring(&server, &project, dir.path(), &names, "24");
    assert_eq!(made.status, 201, "{}", made.text());
    let shot = made.json()["shot"].as_str().unwrap().to_owned();
    server.wait(&format!("/api/shots/{shot}"), |state| state["clip"]["state"] == "ready");
    let clip = server.get(&format!("/api/projects/{project}")).json()["clips"][0].clone();
    assert_eq!(
        (clip["frames"].as_u64(), clip["rate"].as_f64(), clip["codec"].as_str()),
        (Some(5), Some(24.0), Some("png"))
    );
    let remarks = clip["remarks"].to_string();
    assert!(remarks.contains("Frame 0 is picture 8.") && remarks.contains("Missing pictures: 10."), "{remarks}");

    for (names, rate, word) in [
        (&names[..1], "24", "at least two"),
        (&names[..], "no", "is no number of pictures a second"),
        (&names[..], "0", "is no number of pictures a second"),
    ] {
        let refused = bring(&server, &project, dir.path(), names, rate);
        assert!(refused.status == 422 && refused.text().contains(word), "{}: {}", refused.status, refused.text());
    }
    let clips = server.get(&format!("/api/projects/{project}")).json()["clips"].as_array().unwrap().len();
    assert_eq!(clips, 1, "nothing remains of what was refused");
}
