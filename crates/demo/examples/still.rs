//! Writes single frames of the demo shots as PPM pictures, for looking at: `still FOLDER FRAME...`.

fn main() -> std::io::Result<()> {
    let mut words = std::env::args().skip(1);
    let folder = words.next().unwrap_or_else(|| ".".into());
    let frames: Vec<u32> = words.filter_map(|word| word.parse().ok()).collect();
    for shot in jampin_demo::shots() {
        for frame in &frames {
            let head = format!("P6\n{} {}\n255\n", shot.size.width, shot.size.height);
            let path = format!("{folder}/{} {frame}.ppm", shot.name);
            std::fs::write(path, [head.into_bytes(), shot.expose(*frame)].concat())?;
        }
    }
    Ok(())
}
