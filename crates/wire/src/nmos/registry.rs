//! A registry's list comes page by page, the newest entries first (IS-04, "APIs: Query Parameters", paging).

/// The longest question that is taken up.
const LONGEST: usize = 512;

/// The question for the page with older entries, as the `Link` field of a page tells it: what stands behind the `?`. Where it leads
/// otherwise does not matter: it is asked at the same place.
#[must_use]
pub fn older(link: &str) -> Option<String> {
    let of_entry = |entry: &str| {
        let (target, parameters) = entry.trim().strip_prefix('<')?.split_once('>')?;
        let is_older = parameters.split(';').any(|one| matches!(one.trim(), "rel=\"prev\"" | "rel=prev"));
        let question = target.split_once('?')?.1;
        let is_fine = |byte: u8| byte.is_ascii_graphic() && !matches!(byte, b'#' | b'<' | b'>' | b'"');
        let fits = !question.is_empty() && question.len() <= LONGEST && question.bytes().all(is_fine);
        (is_older && fits).then(|| question.to_owned())
    };
    link.split(',').find_map(of_entry)
}
