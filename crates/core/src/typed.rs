//! Words as they are typed: names that stand in a command that somebody copies into a shell.

/// A name as one word of a shell, whatever is in it: a device may call itself `x; reboot`.
#[must_use]
pub fn typed(name: &str) -> String {
    // Only a zero byte cannot be typed.
    shlex::try_quote(name).map_or_else(|_| "NAME".to_owned(), std::borrow::Cow::into_owned)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_name_is_one_word() {
        assert_eq!(typed("quay-north"), "quay-north");
        for name in
            ["Amp 1", "x; reboot", "$(reboot)", "`a`", "it's", "a\"b", "-x", "a*b", "Büro", "\\", "a\nb", "#x"]
        {
            assert_eq!(shlex::split(&typed(name)), Some(vec![name.to_owned()]), "{name}");
        }
        assert_eq!((typed("").as_str(), typed("a\0b").as_str()), ("''", "NAME"));
    }
}
