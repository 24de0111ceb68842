//! What ffmpeg's filter that lists frames says of each.

/// The time in a line of it: `... n:  12 pts:  6144 pts_time:0.48 ...`. Inside `None` for a frame without a time.
pub(crate) fn shown_time(line: &str) -> Option<Option<i64>> {
    let rest = line.contains("Parsed_showinfo").then_some(line)?.split_once(" pts:")?.1;
    Some(rest.split_whitespace().next()?.parse().ok())
}

/// Whether a line of what it says besides tells of damage.
pub(crate) fn is_complaint(line: &str) -> bool {
    line.contains("rror") || line.contains("nvalid") || line.contains("orrupt")
}

#[cfg(test)]
mod tests {
    use super::{is_complaint, shown_time};

    #[test]
    fn times_are_read_and_other_lines_are_not() {
        let line = "[Parsed_showinfo_0 @ 0x55] n:   3 pts:   1536 pts_time:0.12    duration:    512 fmt:yuv420p";
        assert_eq!(shown_time(line), Some(Some(1536)));
        assert_eq!(shown_time("[Parsed_showinfo_0 @ 0x55] n:   3 pts:NOPTS pts_time:NOPTS"), Some(None));
        assert_eq!(shown_time("[h264 @ 0x55] error while decoding MB 3 4"), None);
        assert!(is_complaint("[h264 @ 0x55] error while decoding MB 3 4"));
    }
}
