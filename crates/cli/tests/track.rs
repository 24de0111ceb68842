//! `jampin track` and the words of the command line.

use std::path::Path;
use std::process::{Command, Output};

use jampin_testkit::{decode_rgb, make_film, real_film};

fn jampin(words: &[&str]) -> Output {
    Command::new(env!("CARGO_BIN_EXE_jampin")).args(words).output().expect("jampin runs")
}

fn track(film: &Path, pins: &str, extra: &[&str]) -> (Option<i32>, String, String) {
    let dir = tempfile::tempdir().unwrap();
    let (file, out) = (dir.path().join("pins.json"), dir.path().join("samples.csv"));
    std::fs::write(&file, pins).unwrap();
    let mut words =
        vec!["track", film.to_str().unwrap(), "--pins", file.to_str().unwrap(), "--out", out.to_str().unwrap()];
    words.extend(extra);
    let output = jampin(&words);
    let csv = std::fs::read_to_string(&out).unwrap_or_default();
    (output.status.code(), csv, String::from_utf8_lossy(&output.stderr).into_owned())
}

/// A bright square with a cross in it that moves 3.5 pixels right and 1.25 down a frame, over a patterned ground.
fn moving_square(dir: &Path) -> std::path::PathBuf {
    make_film(
        dir,
        "square.mp4",
        "-f lavfi -i nullsrc=size=320x240:rate=25:duration=1,geq=lum='90+25*sin(X*0.13)*cos(Y*0.11)':cb=128:cr=128 \
         -f lavfi -i nullsrc=size=160x160:rate=25:duration=1,geq=lum='if(lt(abs(X-80)\\,12)+lt(abs(Y-80)\\,12)\\,40\\,210)':cb=128:cr=128,scale=40:40 \
         -filter_complex [0][1]overlay=x='40+4*n':y='60+2*n':eval=frame -pix_fmt yuv420p -crf 8 -frames:v 25",
    )
}

#[test]
fn a_moving_square_is_followed_both_ways() {
    let dir = tempfile::tempdir().unwrap();
    let film = moving_square(dir.path());
    let pins = r#"{"pins":[{"name":"square","frame":10,"x":100,"y":100,"pattern":[31,31],"search":[24,24]}]}"#;
    let (code, csv, stderr) = track(&film, pins, &[]);
    assert_eq!(code, Some(0), "{stderr}");
    let rows: Vec<Vec<&str>> = csv.lines().skip(1).map(|line| line.split(',').collect()).collect();
    assert_eq!(csv.lines().next(), Some("frame,pin,x,y,match,state,sd_x,sd_y,grasp"));
    assert_eq!(rows.len(), 25);
    for row in &rows {
        let (frame, x, y): (f64, f64, f64) =
            (row[0].parse().unwrap(), row[2].parse().unwrap(), row[3].parse().unwrap());
        assert!((x - (60.0 + 4.0 * frame)).abs() < 0.15 && (y - (80.0 + 2.0 * frame)).abs() < 0.15, "{row:?}");
        assert_eq!(row[5], if row[0] == "10" { "guide" } else { "found" });
    }
    assert!(stderr.is_empty(), "no bar without a terminal: {stderr}");
}

#[test]
fn an_area_is_followed_as_a_whole_and_gives_the_points_of_its_outline() {
    let dir = tempfile::tempdir().unwrap();
    let film = moving_square(dir.path());
    let areas = r#"{"areas":[{"name":"square","frame":10,"outline":[[83,83],[117,83],[117,117],[83,117]]}],
        "pins":[{"name":"middle","frame":10,"x":100,"y":100}]}"#;
    let (code, csv, stderr) = track(&film, areas, &[]);
    assert_eq!(code, Some(0), "{stderr}");
    let rows: Vec<Vec<&str>> = csv.lines().skip(1).map(|line| line.split(',').collect()).collect();
    assert_eq!(rows.len(), 25 * 5);
    for row in rows.iter().filter(|row| row[1].starts_with("square/")) {
        let (frame, x, y): (f64, f64, f64) =
            (row[0].parse().unwrap(), row[2].parse().unwrap(), row[3].parse().unwrap());
        let (right, down) = match row[1] {
            "square/0" => (83.0, 83.0),
            "square/1" => (117.0, 83.0),
            "square/2" => (117.0, 117.0),
            _ => (83.0, 117.0),
        };
        let off = (x - right - 4.0 * (frame - 10.0)).hypot(y - down - 2.0 * (frame - 10.0));
        assert!(off < 0.3, "{row:?} is off by {off}");
        assert_eq!(row[5], if row[0] == "10" { "guide" } else { "found" }, "{row:?}");
    }
}

#[test]
fn an_area_that_cannot_be_followed_is_explained() {
    let dir = tempfile::tempdir().unwrap();
    let film = moving_square(dir.path());
    let outside = r#"{"areas":[{"name":"far","frame":0,"outline":[[900,0],[990,0],[990,80]]}]}"#;
    let (code, _, stderr) = track(&film, outside, &[]);
    assert_eq!((code, stderr.lines().count()), (Some(2), 1), "{stderr}");
    assert!(stderr.contains("far") && stderr.contains("320 x 240"), "{stderr}");
    let late = r#"{"areas":[{"name":"late","frame":40,"outline":[[9,0],[90,0],[90,80]]}]}"#;
    assert!(track(&film, late, &[]).2.contains("0..24"));
}

#[test]
fn threads_change_nothing() {
    let dir = tempfile::tempdir().unwrap();
    let film = moving_square(dir.path());
    let pins = r#"{"pins":[{"name":"a","frame":0,"x":60,"y":80},{"name":"b","frame":12,"x":108,"y":104},
        {"name":"c","frame":24,"x":156,"y":128,"pattern":"auto","search":"auto"}]}"#;
    let one = track(&film, pins, &["--threads", "1"]);
    let two = track(&film, pins, &["--threads", "2"]);
    assert_eq!(one.0, Some(0), "{}", one.2);
    assert!(one.1.lines().count() > 60);
    assert_eq!(one.1, two.1);
}

#[test]
fn every_setting_of_a_pin_is_obeyed() {
    let dir = tempfile::tempdir().unwrap();
    let film = moving_square(dir.path());
    for setting in [
        r#""motion":"rotation""#,
        r#""motion":"scale""#,
        r#""motion":"affine""#,
        r#""motion":"perspective""#,
        r#""channel":"red""#,
        r#""channel":"green""#,
        r#""channel":"blue""#,
        r#""channel":"colour""#,
        r#""reference":"fixed""#,
        r#""reference":"renewed""#,
        r#""filter":"smooth""#,
        r#""filter":"sharpen""#,
    ] {
        let pins = format!(
            r#"{{"pins":[{{"name":"a","frame":12,"x":108,"y":104,"pattern":[31,31],"search":[20,20],{setting}}}]}}"#
        );
        let (code, csv, stderr) = track(&film, &pins, &[]);
        assert_eq!(code, Some(0), "{setting}: {stderr}");
        assert_eq!(
            csv.lines().filter(|line| line.contains("found") || line.contains("guide")).count(),
            25,
            "{setting}: {csv}"
        );
    }
}

#[test]
fn a_real_film_is_followed_forward_and_backward_alike() {
    // Five features of a caller in a shaking car: bow tie, hair, door, collar, shirt. Spots that good_spots takes for
    // good: an edge, such as the frame of the window, slides along itself by more than a pixel, which its covariance
    // says too.
    let film = real_film("carphone.mp4");
    let features = [(104.5, 118.5), (60.5, 54.5), (46.5, 112.5), (98.5, 112.5), (102.5, 124.5)];
    let pins = |frame: u32, places: &[(f64, f64)]| {
        let pin = |(i, (x, y)): (usize, &(f64, f64))| {
            format!(
                r#"{{"name":"{i}","frame":{frame},"x":{x},"y":{y},"pattern":[21,21],"search":[16,16],"stop_below":0.6}}"#
            )
        };
        format!(r#"{{"pins":[{}]}}"#, places.iter().enumerate().map(pin).collect::<Vec<_>>().join(","))
    };
    let places = |csv: &str, frame: u32| -> Vec<(f64, f64)> {
        let rows = csv.lines().map(|line| line.split(',').collect::<Vec<_>>());
        rows.filter(|row| row[0] == frame.to_string() && matches!(row[5], "found" | "guide"))
            .map(|row| (row[2].parse().unwrap(), row[3].parse().unwrap()))
            .collect()
    };
    let (code, forward, stderr) = track(&film, &pins(0, &features), &["--range", "0..40"]);
    assert_eq!(code, Some(0), "{stderr}");
    let ends = places(&forward, 40);
    assert_eq!(ends.len(), features.len(), "all are found on the last frame");
    let (_, backward, _) = track(&film, &pins(40, &ends), &["--range", "0..40"]);
    let starts = places(&backward, 0);
    assert_eq!(starts.len(), features.len());
    for (start, feature) in starts.iter().zip(&features) {
        let error = (start.0 - feature.0).hypot(start.1 - feature.1);
        // The collar, a soft fold, is off by half a pixel; the others by less than a tenth.
        assert!(error < 0.6, "{feature:?} came back to {start:?}");
    }
}

#[test]
fn bad_input_is_one_line_and_exit_2() {
    let dir = tempfile::tempdir().unwrap();
    let film = moving_square(dir.path());
    let pin = |words: &str| format!(r#"{{"pins":[{{"name":"a","frame":0,"x":60,"y":80{words}}}]}}"#);
    let cases: [(&str, String, &[&str], &str); 7] = [
        ("no JSON", "pins".into(), &[], "cannot be read"),
        ("empty", r#"{"pins":[]}"#.into(), &[], "at least one"),
        ("unknown word", pin(r#","patern":[3,3]"#), &[], "patern"),
        ("outside", r#"{"pins":[{"name":"a","frame":0,"x":900,"y":80}]}"#.into(), &[], "320 x 240"),
        ("late frame", r#"{"pins":[{"name":"a","frame":99,"x":60,"y":80}]}"#.into(), &[], "0..24"),
        ("tiny pattern", pin(r#","pattern":[3,3]"#), &[], "between 7 and 255"),
        ("bad range", pin(""), &["--range", "20..90"], "0..24"),
    ];
    for (what, pins, extra, says) in cases {
        let (code, csv, stderr) = track(&film, &pins, extra);
        assert_eq!(code, Some(2), "{what}: {stderr}");
        assert!(stderr.contains(says) && stderr.trim().lines().count() == 1, "{what}: {stderr}");
        assert!(csv.is_empty(), "{what}");
    }
    let nothing = dir.path().join("nothing.mp4");
    std::fs::write(&nothing, b"not a film").unwrap();
    let (code, _, stderr) = track(&nothing, &pin(""), &[]);
    assert!(code == Some(2) && stderr.contains("not a film"), "{stderr}");
}

#[test]
fn every_subcommand_explains_itself() {
    let help = String::from_utf8_lossy(&jampin(&["--help"]).stdout).into_owned();
    for name in ["serve", "worker", "track", "demo", "migrate"] {
        assert!(help.contains(name), "{help}");
        let own = jampin(&[name, "--help"]);
        let text = String::from_utf8_lossy(&own.stdout).into_owned();
        assert!(own.status.success() && text.contains("Usage") && text.lines().count() > 8, "{name}: {text}");
    }
    assert!(String::from_utf8_lossy(&jampin(&["serve", "--help"]).stdout).contains("JAMPIN_PORT"));
}

/// Samples of a pin that goes to the right at 4 pixels a frame, with a jump on frame 12.
fn samples(dir: &Path) -> std::path::PathBuf {
    let row = |n: u32| {
        let y = if n == 12 { 140.0 } else { 80.0 };
        format!("{n},lamp,{:.4},{y:.4},0.9900,found,0.05,0.05,exact\n", 60.0 + 4.0 * f64::from(n))
    };
    let rows: String = (0..25).map(row).collect();
    let path = dir.join("samples.csv");
    std::fs::write(&path, format!("frame,pin,x,y,match,state,sd_x,sd_y,grasp\n{rows}")).unwrap();
    path
}

#[test]
fn samples_become_a_path_of_few_keyframes() {
    let dir = tempfile::tempdir().unwrap();
    let (samples, out) = (samples(dir.path()), dir.path().join("keys.json"));
    let words = ["clean", samples.to_str().unwrap(), "--tolerance", "0.5", "--rate", "30000/1001", "--out"];
    let output = jampin(&[&words[..], &[out.to_str().unwrap()]].concat());
    assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
    let keys: serde_json::Value = serde_json::from_str(&std::fs::read_to_string(&out).unwrap()).unwrap();
    let span = &keys["subjects"][0]["spans"][0];
    assert_eq!(
        (&keys["subjects"][0]["name"], &keys["frame_rate"]),
        (&"lamp".into(), &serde_json::json!([30000, 1001]))
    );
    assert!(span["keys"].as_array().unwrap().len() <= 4, "{span}");
    // The jump is out, and the rest is where it was.
    let place =
        |n: usize| span["places"][n].as_array().unwrap().iter().map(|v| v.as_f64().unwrap()).collect::<Vec<_>>();
    for n in [0, 12, 24] {
        assert!(
            (place(n)[0] - (60.0 + 4.0 * n as f64)).abs() < 1.0 && (place(n)[1] - 80.0).abs() < 1.0,
            "{n} {:?}",
            place(n)
        );
    }
    let refused = jampin(&["clean", samples.to_str().unwrap(), "--tolerance", "-1", "--out", "-"]);
    assert_eq!(refused.status.code(), Some(2), "{}", String::from_utf8_lossy(&refused.stderr));
}

#[test]
fn what_hangs_on_samples_is_painted_into_the_film() {
    let dir = tempfile::tempdir().unwrap();
    let film = moving_square(dir.path());
    samples(dir.path());
    let scene = dir.path().join("scene.json");
    let show = r#"{"enters":{"way":"fade","frames":0,"easing":{"first":[0,0],"second":[1,1]}}}"#;
    let cover = r##"{"kind":"cover","outline":"box","size":[30,30],"effect":{"plain":"#ff0000"},"show":"##;
    let text = format!(r#"{{"samples":"samples.csv","subjects":[{{"pin":"lamp","attachments":[{cover}{show}}}]}}]}}"#);
    std::fs::write(&scene, text).unwrap();
    let out = dir.path().join("out.mp4");
    let paint = |scene: &Path, out: &Path| {
        jampin(&["render", film.to_str().unwrap(), "--scene", scene.to_str().unwrap(), "--out", out.to_str().unwrap()])
    };
    let output = paint(&scene, &out);
    assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
    let frames = decode_rgb(&out, 320, 240);
    assert_eq!(frames.len(), 25);
    let at = |frame: usize, x: usize, y: usize| &frames[frame][3 * (y * 320 + x)..][..3];
    for n in [0usize, 20] {
        let [red, green, blue] = at(n, 60 + 4 * n, 80) else { panic!() };
        assert!(*red > 200 && *green < 60 && *blue < 60, "frame {n}: {red} {green} {blue}");
        let [red, green, _] = at(n, 60 + 4 * n, 120) else { panic!() };
        assert!(red.abs_diff(*green) < 20, "nothing beside it on frame {n}");
    }
    let unknown = paint(&scene, &dir.path().join("out.avi"));
    let told = String::from_utf8_lossy(&unknown.stderr).into_owned();
    assert!(unknown.status.code() == Some(2) && told.contains(".mp4"), "{told}");
}
