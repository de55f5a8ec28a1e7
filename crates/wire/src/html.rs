//! As much of HTML as a device's first page is read for: what it is called.

/// The most characters of a title that are of use.
const MOST: usize = 80;

/// The text between `<title>` and its end, in one line; `None` where there is none.
#[must_use]
pub fn title(page: &[u8]) -> Option<String> {
    let text = String::from_utf8_lossy(page);
    // Bytes of ASCII keep their places in small letters.
    let small = text.to_ascii_lowercase();
    let open = small.find("<title")?;
    let begin = open + small.get(open..)?.find('>')? + 1;
    let end = begin + small.get(begin..)?.find("</title")?;
    let words: Vec<&str> = text.get(begin..end)?.split_whitespace().collect();
    let title: String = words.join(" ").chars().take(MOST).collect();
    (!title.is_empty()).then_some(title)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_title_is_found_in_whatever_stands_around_it() {
        let page = "<!doctype html><HTML><head><Title lang=\"en\">\n Stage box\n left </TITLE></head>";
        assert_eq!(title(page.as_bytes()).as_deref(), Some("Stage box left"));
        let long = format!("<title>{}</title>", "é".repeat(500));
        assert_eq!(title(long.as_bytes()).map(|title| title.chars().count()), Some(MOST));
        for page in [
            &b""[..],
            b"<title",
            b"<title>",
            b"<title>x",
            b"<title> </title>",
            b"\xff<title>\xff",
            b"</title><title>",
        ] {
            assert_eq!(title(page), None, "{page:?}");
        }
    }
}
