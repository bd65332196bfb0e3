//! Verdicts from a table.

use legere_common::MainError;
use legere_core::select::{Range, Tier};
use legere_core::time::Seconds;
use std::collections::HashMap;
use std::path::Path;

/// What a line says of a clip: its tier, and which part of it is meant.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Verdict {
    pub tier: Tier,
    /// In, out and hit in seconds.
    marks: Option<(f64, f64, f64)>,
    line: u64,
}

/// By the file's name, or by its path below the folder.
#[derive(Debug, Default)]
pub struct Verdicts(HashMap<String, Vec<Verdict>>);

impl Verdicts {
    pub fn read(file: &Path) -> Result<Self, MainError> {
        let unreadable = |source| MainError::Unreadable { file: file.to_path_buf(), source };
        Self::parse(&std::fs::read_to_string(file).map_err(unreadable)?)
    }

    fn parse(text: &str) -> Result<Self, MainError> {
        let mut all: HashMap<String, Vec<Verdict>> = HashMap::new();
        let mut table = csv::ReaderBuilder::new().flexible(true).trim(csv::Trim::All).from_reader(text.as_bytes());
        for row in table.records() {
            let row = row.map_err(|e| MainError::Verdict {
                line: e.position().map_or(0, csv::Position::line),
                why: "it cannot be read".into(),
            })?;
            let line = row.position().map_or(0, csv::Position::line);
            let wrong = |why: &str| MainError::Verdict { line, why: why.into() };
            let tier = row.get(1).and_then(|word| Tier::from_word(&word.to_lowercase()));
            let tier = tier.ok_or_else(|| wrong("the tier is one of hero, strong, spare, unread and out"))?;
            let number = |at: usize| row.get(at).and_then(|n| n.parse::<f64>().ok()).filter(|n| n.is_finite());
            let marks = if row.iter().skip(2).all(str::is_empty) {
                None
            } else {
                let marks = number(2).zip(number(3)).zip(number(4)).map(|((start, end), hit)| (start, end, hit));
                Some(marks.ok_or_else(|| wrong("in, out and hit are three numbers of seconds"))?)
            };
            let name = row.get(0).filter(|name| !name.is_empty()).ok_or_else(|| wrong("it names no file"))?;
            all.entry(name.to_owned()).or_default().push(Verdict { tier, marks, line });
        }
        Ok(Self(all))
    }

    /// What is said of the clip at a path below the folder.
    pub fn of(&self, path: &str) -> Vec<Verdict> {
        let name = Path::new(path).file_name().map(|name| name.to_string_lossy().into_owned());
        let found = self.0.get(path).or_else(|| self.0.get(&name?));
        found.cloned().unwrap_or_default()
    }
}

impl Verdict {
    /// The part that is meant: as it was marked, or else as the reading suggests; never beyond the clip's end.
    pub fn range(&self, media: Seconds, suggested: impl Fn() -> Option<Range>) -> Result<Option<Range>, MainError> {
        let marked = self.marks.map(|(start, end, hit)| {
            let at = Seconds::from_measured;
            (at(start), at(end), at(hit))
        });
        let marks = marked.or_else(|| suggested().map(|r| (r.start(), r.end(), r.hit())));
        let Some((start, end, hit)) = marks else { return Ok(None) };
        let range = Range::new(start, end.min(media), hit);
        range.map(Some).map_err(|why| MainError::Verdict { line: self.line, why: why.to_string() })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn lines_with_and_without_marks() {
        let all = Verdicts::parse("name,tier\na.mp4,hero\nb.mp4, Spare ,1.5,4,2\nb.mp4,out,5,6,5\nday one/a.mp4,out\n")
            .expect("read");
        assert_eq!(all.of("roll/a.mp4").iter().map(|v| v.tier).collect::<Vec<_>>(), [Tier::Hero]);
        assert_eq!(all.of("day one/a.mp4")[0].tier, Tier::Out, "the path says more than the name");
        assert_eq!(all.of("b.mp4").iter().map(|v| v.tier).collect::<Vec<_>>(), [Tier::Spare, Tier::Out]);
        assert_eq!(all.of("c.mp4"), []);
        let media = Seconds::from_measured(3.5);
        let range = all.of("b.mp4")[0].range(media, || None).expect("sound").expect("marked");
        assert_eq!(
            (range.start().to_f64(), range.end().to_f64(), range.hit().to_f64()),
            (1.5, 3.5, 2.0),
            "as long as the clip is"
        );
        assert!(all.of("b.mp4")[1].range(media, || None).is_err(), "behind its end");
        // A reading may end a little behind the last frame.
        let at = Seconds::from_measured;
        let read = Range::new(at(0.5), at(3.6), at(1.0)).expect("a range");
        let range = all.of("a.mp4")[0].range(media, || Some(read)).expect("sound").expect("suggested");
        assert_eq!(range.end(), media);
    }

    #[test]
    fn what_is_wrong_is_named_by_its_line() {
        for (text, words) in [
            ("name,tier\na.mp4,best\n", "line 2: the tier is one of"),
            ("name,tier\na.mp4,hero\nb.mp4,hero,1,2\n", "line 3: in, out and hit are three numbers"),
            ("name,tier\n,hero\n", "line 2: it names no file"),
        ] {
            let said = Verdicts::parse(text).expect_err(words).to_string();
            assert!(said.contains(words), "{said}");
        }
    }
}
