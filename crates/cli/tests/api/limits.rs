//! What the server does not take, how it says so, and how it can be watched.

use std::io::{BufRead, BufReader, Write};
use std::net::{Shutdown, TcpStream};
use std::process::Command;
use std::time::{Duration, Instant};

use jampin_testkit::{Server, make_film, request};
use serde_json::json;

use super::{FILM, PROGRAM, idle, put_pin, with_shot};

const CREST: &[u8] =
    b"<svg xmlns='http://www.w3.org/2000/svg' width='40' height='20'><rect width='40' height='20'/></svg>";

fn entries(server: &Server, folder: &str) -> usize {
    std::fs::read_dir(server.media().join(folder)).map_or(0, Iterator::count)
}

fn sql(server: &Server, statement: &str) -> String {
    let output = Command::new("psql").args(["-qtAX", server.database(), "-c", statement]).output().unwrap();
    assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
    String::from_utf8_lossy(&output.stdout).trim().to_owned()
}

#[test]
fn what_does_not_fit_on_the_disk_is_refused_alike_and_the_server_says_that_it_is_not_well() {
    // No disk leaves so much free.
    let server = Server::start(PROGRAM, &["--reserve-gb", "1000000000"]);
    let project = server.project("Open day");
    let films = tempfile::tempdir().unwrap();
    let film = server.upload(&project, &make_film(films.path(), "card.mp4", FILM));
    let picture = request(&server.address, "PUT", &format!("/api/projects/{project}/pictures?name=a.svg"), "", CREST);
    for answer in [film, picture] {
        assert!(answer.status == 507 && answer.text().contains("Make room, then try again"), "{}", answer.text());
    }
    assert_eq!([entries(&server, "clips"), entries(&server, "uploads"), entries(&server, "pictures")], [0, 0, 0]);
    let health = server.get("/health");
    assert_eq!((health.status, &health.json()["database"], &health.json()["room"]), (503, &json!(true), &json!(false)));
}

#[test]
fn work_stops_before_the_disk_is_full_and_says_so() {
    let (mut server, shot) = with_shot(&[]);
    server.kill();
    let media = server.media().to_owned();
    let full = Server::over_with(PROGRAM, server.database(), &media, &["--reserve-gb", "1000000000"]);
    let path = format!("/api/shots/{shot}");
    full.send("POST", &format!("{path}/exports"), &json!({ "container": "mp4" }));
    let state = full.wait(&path, |state| state["jobs"][0]["state"] == "failed");
    assert!(
        state["jobs"][0]["problem"].as_str().unwrap().contains("disk of the server is full"),
        "{}",
        state["jobs"][0]
    );
    assert_eq!(std::fs::read_dir(media.join("exports")).map_or(0, Iterator::count), 0);
}

#[test]
fn a_project_takes_as_much_as_it_may() {
    let server = Server::start(PROGRAM, &["--project-gb", "0.00001"]);
    let project = server.project("Open day");
    let films = tempfile::tempdir().unwrap();
    let refused = server.upload(&project, &make_film(films.path(), "card.mp4", FILM));
    assert!(refused.status == 507 && refused.text().contains("this project may take 0.0 GB"), "{}", refused.text());
    let server = Server::start(PROGRAM, &["--all-gb", "0.00001"]);
    let refused = server.upload(&server.project("Open day"), &films.path().join("card.mp4"));
    assert!(refused.status == 507 && refused.text().contains("all projects together"), "{}", refused.text());
}

#[test]
fn an_upload_that_is_reset_half_way_leaves_nothing() {
    let server = Server::start(PROGRAM, &[]);
    let project = server.project("Open day");
    let mut stream = TcpStream::connect(&server.address).unwrap();
    let head = format!(
        "PUT /api/projects/{project}/clips?name=a.mp4 HTTP/1.1\r\nHost: {}\r\nContent-Length: 1000000\r\n\r\n",
        server.address
    );
    stream.write_all(head.as_bytes()).unwrap();
    stream.write_all(&[0; 300_000]).unwrap();
    let begun = Instant::now();
    while entries(&server, "uploads") == 0 {
        assert!(begun.elapsed() < Duration::from_secs(20), "the upload never came in");
    }
    stream.shutdown(Shutdown::Both).unwrap();
    drop(stream);
    while entries(&server, "uploads") > 0 {
        assert!(begun.elapsed() < Duration::from_secs(40), "it is still there");
        std::thread::sleep(Duration::from_millis(20));
    }
    assert_eq!(server.get(&format!("/api/projects/{project}")).json()["clips"], json!([]));
}

#[test]
fn requests_have_names_and_are_counted() {
    let (server, shot) = with_shot(&[]);
    put_pin(&server, &shot, 0);
    server.wait(&format!("/api/shots/{shot}"), idle);
    let one = server.get(&format!("/api/shots/{shot}"));
    assert!(one.head.contains("x-request-id: "), "{}", one.head);
    assert_eq!(server.get("/health").status, 200);
    let metrics = server.get("/metrics");
    assert!(metrics.head.contains("text/plain; version=0.0.4"), "{}", metrics.head);
    let text = metrics.text();
    for line in [
        "jampin_jobs{kind=\"follow\",state=\"done\"} 1",
        "jampin_request_seconds_count{method=\"POST\",route=\"/api/shots/{id}/pins\",status=\"201\"} 1",
        "jampin_uploads 0",
        "jampin_media_free_bytes ",
    ] {
        assert!(text.contains(line), "{line} is not in {text}");
    }
    assert!(!text.contains(&shot), "no identities");
}

#[test]
fn pages_are_told_when_news_was_missed() {
    let (server, shot) = with_shot(&[]);
    let mut stream = TcpStream::connect(&server.address).unwrap();
    stream.set_read_timeout(Some(Duration::from_secs(30))).unwrap();
    write!(stream, "GET /api/events?shot={shot} HTTP/1.1\r\nHost: {}\r\n\r\n", server.address).unwrap();
    let mut lines = BufReader::new(stream).lines().map(|line| line.unwrap());
    assert!(lines.any(|line| line == ": hello"));
    // As when PostgreSQL goes down and comes back.
    sql(
        &server,
        "SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE datname = current_database() AND pid <> pg_backend_pid()",
    );
    assert!(lines.any(|line| line == r#"data: {"event":"missed"}"#));
    put_pin(&server, &shot, 0);
    assert!(lines.any(|line| line.contains(r#""event":"shot""#)), "and news goes on");
}

#[test]
fn the_database_gives_the_application_its_own_and_nothing_else() {
    let server = Server::start(PROGRAM, &[]);
    let rights = sql(
        &server,
        "SELECT rolsuper, rolcreaterole, rolreplication, rolbypassrls FROM pg_roles WHERE rolname = current_user",
    );
    assert_eq!(rights, "f|f|f|f");
    let without = server.database().replacen(':', "\u{1}", 1);
    let (scheme, rest) = without.split_once('\u{1}').unwrap();
    let (credentials, place) = rest.trim_start_matches('/').split_once('@').unwrap();
    let user = credentials.split(':').next().unwrap();
    let refused = Command::new("psql")
        .args(["-qtAXw", &format!("{scheme}://{user}@{place}"), "-c", "SELECT 1"])
        .env_remove("PGPASSWORD")
        .output()
        .unwrap();
    let said = String::from_utf8_lossy(&refused.stderr);
    assert!(!refused.status.success() && said.contains("password"), "{said}");
    let bound = sql(
        &server,
        "SELECT count(*) FROM pg_stat_activity WHERE datname = current_database() AND application_name <> 'psql'",
    );
    assert_ne!(bound, "0", "the server is connected");
}

#[test]
fn a_fifth_film_at_once_waits_for_its_turn() {
    let server = Server::start(PROGRAM, &[]);
    let project = server.project("Open day");
    let begun = || {
        let mut stream = TcpStream::connect(&server.address).unwrap();
        let head = format!(
            "PUT /api/projects/{project}/clips?name=a.mp4 HTTP/1.1\r\nHost: {}\r\nContent-Length: 1000\r\n\r\n",
            server.address
        );
        stream.write_all(head.as_bytes()).unwrap();
        stream
    };
    let four = [begun(), begun(), begun(), begun()];
    let since = Instant::now();
    while !server.get("/metrics").text().contains("jampin_uploads 4\n") {
        assert!(since.elapsed() < Duration::from_secs(20), "they do not come in");
    }
    let films = tempfile::tempdir().unwrap();
    let film = make_film(films.path(), "card.mp4", FILM);
    let refused = server.upload(&project, &film);
    assert!(refused.status == 503 && refused.text().contains("coming in already"), "{}", refused.text());
    drop(four);
    while !server.get("/metrics").text().contains("jampin_uploads 0\n") {
        assert!(since.elapsed() < Duration::from_secs(40), "they do not go");
    }
    assert_eq!(server.upload(&project, &film).status, 201);
}

#[test]
fn a_decoder_that_films_do_not_need_is_not_started() {
    let server = Server::start(PROGRAM, &[]);
    let project = server.project("Open day");
    let films = tempfile::tempdir().unwrap();
    let film =
        make_film(films.path(), "screen.avi", "-f lavfi -i testsrc2=size=320x240:rate=25:duration=0.4 -c:v zmbv");
    let refused = server.upload(&project, &film);
    assert!(refused.status == 422 && refused.text().contains("not read here (zmbv)"), "{}", refused.text());
    assert_eq!([entries(&server, "clips"), entries(&server, "uploads")], [0, 0]);
}

#[test]
fn subtitles_and_odd_sound_beside_the_picture_do_no_harm() {
    let server = Server::start(PROGRAM, &[]);
    let project = server.project("Open day");
    let films = tempfile::tempdir().unwrap();
    let titles = films.path().join("titles.srt");
    std::fs::write(&titles, "1\n00:00:00,000 --> 00:00:00,300\nAll aboard\n").unwrap();
    let picture = "-f lavfi -i testsrc2=size=320x240:rate=25:duration=0.4 -f lavfi -i sine=duration=0.4";
    for (name, options) in [
        ("titled.mp4", format!("-i {} -map 0 -map 1 -map 2 -pix_fmt yuv420p -c:s mov_text", titles.display())),
        ("titled.mkv", format!("-i {} -map 0 -map 1 -map 2 -pix_fmt yuv420p -c:a wavpack -c:s ass", titles.display())),
        ("sound.mov", "-pix_fmt yuv420p -c:a adpcm_ima_qt -ar 44100".into()),
    ] {
        let film = make_film(films.path(), name, &format!("{picture} {options}"));
        let answer = server.upload(&project, &film);
        assert_eq!(answer.status, 201, "{name}: {}", answer.text());
    }
}

#[test]
fn an_upload_that_stands_still_is_given_up() {
    let server = Server::start(PROGRAM, &[]);
    let project = server.project("Open day");
    let mut stream = TcpStream::connect(&server.address).unwrap();
    stream.set_read_timeout(Some(Duration::from_secs(90))).unwrap();
    let head = format!(
        "PUT /api/projects/{project}/clips?name=a.mp4 HTTP/1.1\r\nHost: {}\r\nContent-Length: 1000\r\n\r\nhalf",
        server.address
    );
    stream.write_all(head.as_bytes()).unwrap();
    let said: Vec<String> = BufReader::new(stream).lines().map_while(Result::ok).collect();
    assert!(said.iter().any(|line| line.contains("The upload stood still for too long; nothing was kept")), "{said:?}");
    assert_eq!([entries(&server, "uploads"), entries(&server, "clips")], [0, 0]);
}
