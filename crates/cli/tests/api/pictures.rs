//! Pictures and logos, as programs see them: what comes in, what is refused, how they are hung.

use serde_json::{Value, json};

use super::{idle, put_pin, with_shot};
use jampin_testkit::{Server, make_film, request};

fn bring(server: &Server, shot: &str, name: &str, bytes: &[u8]) -> (u16, Value) {
    let project = server.get(&format!("/api/shots/{shot}")).json()["shot"]["project_id"].as_str().unwrap().to_owned();
    let path = format!("/api/projects/{project}/pictures?name={name}");
    let answer = request(&server.address, "PUT", &path, "", bytes);
    (answer.status, answer.json())
}

#[test]
fn png_jpeg_webp_and_svg_come_in_and_rubbish_does_not() {
    let (server, shot) = with_shot(&[]);
    for name in ["dot.png", "dot.jpg", "dot.webp"] {
        let file = make_film(server.media(), name, "-f lavfi -i color=c=red:s=48x32 -frames:v 1");
        let (status, made) = bring(&server, &shot, name, &std::fs::read(file).unwrap());
        assert_eq!((status, &made["width"], &made["height"]), (201, &json!(48), &json!(32)), "{name}: {made}");
        let back = server.get(&format!("/pictures/{}", made["id"].as_str().unwrap()));
        assert!(back.body.starts_with(b"\x89PNG") && back.head.contains("image/png"), "{name}");
    }
    let svg = b"<svg xmlns='http://www.w3.org/2000/svg' width='30' height='20'><script>1</script><rect width='9' height='9'/></svg>";
    let (status, made) = bring(&server, &shot, "crest.svg", svg);
    assert_eq!(status, 201, "{made}");
    let back = server.get(&format!("/pictures/{}", made["id"].as_str().unwrap()));
    assert!(back.text().contains("<path") && !back.text().contains("script"), "{}", back.text());
    for (name, bytes) in [
        ("film.mp4", &b"\0\0\0 ftypisom"[..]),
        ("cut.png", b"\x89PNG\r\n\x1a\n half"),
        ("bad.svg", b"<svg"),
        ("none", b""),
    ] {
        let (status, answer) = bring(&server, &shot, name, bytes);
        assert_eq!(status, 422, "{name}: {answer}");
        assert!(answer["message"].as_str().unwrap().len() > 20, "{answer}");
    }
    let project = server.get(&format!("/api/shots/{shot}")).json()["shot"]["project_id"].as_str().unwrap().to_owned();
    let all = server.get(&format!("/api/projects/{project}/pictures")).json();
    assert_eq!(all.as_array().unwrap().len(), 4, "{all}");
}

#[test]
fn a_picture_faces_the_camera_on_one_pin_and_lies_on_the_face_of_four() {
    let (server, shot) = with_shot(&[]);
    let subject = put_pin(&server, &shot, 0)["made"]["subject"].as_str().unwrap().to_owned();
    let path = format!("/api/shots/{shot}");
    let svg = b"<svg xmlns='http://www.w3.org/2000/svg' width='40' height='20'><rect width='40' height='20'/></svg>";
    let picture = bring(&server, &shot, "crest.svg", svg).1["id"].clone();
    let send = |to: &str, mut body: Value| {
        body["revision"] = server.wait(&path, idle)["shot"]["revision"].clone();
        let answer = server.send("POST", &format!("{path}/{to}"), &body);
        assert_eq!(answer.status, 201, "{}", answer.text());
        server.wait(&path, idle)
    };
    let hang = || send(&format!("subjects/{subject}/pictures"), json!({ "frame": 5, "picture": picture }));
    let lone = hang()["subjects"][0]["attachments"][1].clone();
    assert_eq!((&lone["kind"], &lone["lies"]["facing"]["turns"]), (&json!("picture"), &json!(true)));
    assert_eq!(lone["size"][0].as_f64().unwrap(), 2.0 * lone["size"][1].as_f64().unwrap(), "its own shape");
    for (x, y) in [(100.0, 200.0), (250.0, 60.0), (240.0, 190.0)] {
        send(&format!("subjects/{subject}/points"), json!({ "frame": 5, "at": { "x": x, "y": y } }));
    }
    let state = hang();
    let corners = state["subjects"][0]["attachments"][2]["lies"]["face"].as_array().unwrap().clone();
    let pin = &state["subjects"][0]["pins"][0]["id"];
    let point = |i: usize| json!({ "point": state["subjects"][0]["points"][i]["id"] });
    // Clockwise from the top left.
    assert_eq!(corners, [json!({ "pin": pin }), point(1), point(2), point(0)]);
    let scene = server.scene(&path);
    let flat = |shape: &Value| shape["shape"]["shape"] == "flat";
    assert_eq!(scene["frames"][5].as_array().unwrap().iter().filter(|shape| flat(shape)).count(), 2, "{scene}");
    assert!(scene["artwork"][1]["href"].as_str().unwrap().starts_with("/pictures/"));
}
