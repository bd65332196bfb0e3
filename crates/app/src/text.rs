//! Texts of people, on their way in.

/// Without what no database and no file name keeps, trimmed, and no longer than so many letters.
pub fn plain(text: &str, longest: usize) -> String {
    let line: String = text.chars().map(|c| if c.is_control() { ' ' } else { c }).collect();
    line.trim().chars().take(longest).collect()
}

/// "1 clip", "2 clips".
pub fn counted(n: usize, what: &str) -> String {
    if n == 1 { format!("1 {what}") } else { format!("{n} {what}s") }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_cannot_be_kept_is_left_out() {
        assert_eq!(plain("  the\0 second\nswing ", 40), "the  second swing");
        assert_eq!(plain("öäüß", 2), "öä");
    }
}
