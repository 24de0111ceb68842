//! Several pins on one subject, and points that they carry, as programs see them.

use serde_json::{Value, json};

use super::{idle, put_pin, with_shot};
use jampin_testkit::Server;

struct Bench {
    server: Server,
    path: String,
    subject: String,
}

impl Bench {
    /// One subject with two pins on it.
    fn new() -> Self {
        let (server, shot) = with_shot(&[]);
        let subject = put_pin(&server, &shot, 0)["made"]["subject"].as_str().unwrap().to_owned();
        let bench = Self { path: format!("/api/shots/{shot}"), server, subject };
        bench.server.wait(&bench.path, idle);
        let body = json!({ "frame": 5, "x": 200.0, "y": 140.0, "follow": true, "on": bench.subject });
        let (status, made) = bench.send("pins", body);
        assert_eq!((status, &made["made"]["subject"]), (201, &json!(bench.subject)));
        bench.server.wait(&bench.path, idle);
        bench
    }

    fn send(&self, to: &str, mut body: Value) -> (u16, Value) {
        body["revision"] = self.server.get(&self.path).json()["shot"]["revision"].clone();
        let answer = self.server.send("POST", &format!("{}/{to}", self.path), &body);
        (answer.status, answer.json())
    }

    fn motion(&self) -> Value {
        self.server.get(&format!("{}/subjects/{}/path", self.path, self.subject)).json()
    }

    fn point(&self, frame: u32, x: f64, point: Option<&str>) -> (u16, Value) {
        let body = json!({ "frame": frame, "at": { "x": x, "y": 20.0 }, "point": point });
        self.send(&format!("subjects/{}/points", self.subject), body)
    }
}

#[test]
fn two_pins_turn_and_grow_and_less_can_be_asked_for() {
    let bench = Bench::new();
    let motion = bench.motion();
    assert_eq!(motion["model"], "scale");
    assert_eq!(motion["rotation"].as_array().unwrap().len(), motion["frame"].as_array().unwrap().len());
    // The two features move apart: the subject grows.
    let scale: Vec<f64> = serde_json::from_value(motion["scale"].clone()).unwrap();
    assert!((scale[scale.len() - 1] / scale[0] - 1.0).abs() > 0.05, "{scale:?}");
    let edit = json!({ "edit": "set_motion", "subject": bench.subject, "motion": "rotation" });
    assert_eq!(bench.send("edits", json!({ "title": "Turn", "edit": edit })).0, 200);
    let scale: Vec<f64> = serde_json::from_value(bench.motion()["scale"].clone()).unwrap();
    assert!(scale.iter().all(|one| (one - 1.0).abs() < 1e-6), "{scale:?}");
    let pin = bench.server.get(&bench.path).json()["subjects"][0]["pins"][1]["id"].clone();
    let doubts = bench.server.get(&format!("{}/pins/{}/doubts", bench.path, pin.as_str().unwrap())).json();
    assert!(doubts["off_others"]["distance"].as_array().unwrap().len() > 20, "{doubts}");
    assert_eq!(bench.send("edits", json!({ "title": "Less", "edit": { "edit": "remove_pin", "pin": pin } })).0, 200);
    assert_eq!(bench.motion()["rotation"], Value::Null);
}

#[test]
fn a_carried_point_is_put_down_corrected_and_kept() {
    let bench = Bench::new();
    let (status, made) = bench.point(4, 300.0, None);
    assert_eq!(status, 201, "{made}");
    let point = made["point"].as_str().unwrap();
    let at = |motion: &Value, frame: usize| motion["points"][0]["x"][frame].as_f64().unwrap();
    assert!((at(&bench.motion(), 4) - 300.0).abs() < 1e-3);
    assert_eq!(bench.point(9, 310.0, Some(point)).0, 201);
    let once = bench.motion();
    assert!((at(&once, 9) - 310.0).abs() < 1e-3 && at(&once, 4) != 300.0, "one correction counts for all frames");
    assert_eq!(bench.point(20, 280.0, Some(point)).0, 201);
    let twice = bench.motion();
    assert!((at(&twice, 9) - 310.0).abs() < 1e-3 && (at(&twice, 20) - 280.0).abs() < 1e-3, "two are both kept");
    let (status, answer) = bench.point(1_000, 1.0, None);
    assert_eq!(status, 422);
    assert!(answer["message"].as_str().unwrap().contains("nothing can carry"), "{answer}");
    assert_eq!(bench.point(9, 1.0, Some("00000000-0000-0000-0000-000000000000")).0, 404);
    (0..3).for_each(|_| assert_eq!(bench.send("undo", json!({})).0, 200));
    assert_eq!(bench.motion()["points"], json!([]));
}
