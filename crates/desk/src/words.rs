//! What the trader says of what is done: why, at the ticket; and a word when it is over.

/// What something is said of.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum SaidOf {
    /// Why an order was placed, by its number.
    Order(u64),
    /// What is to be learned from a campaign that is closed, by its number.
    After(u64),
}

/// What is said. After a campaign nothing at all means that nothing shall be said.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Said {
    /// What the trader says of it, as a sentence.
    pub words: String,
    /// Tags, in the order they were given.
    pub tags: Vec<String>,
}

/// Longest sentence, in characters.
const MOST_WORDS: usize = 1_000;
/// Most tags, and the longest of them in characters.
const MOST_TAGS: usize = 20;
const LONGEST_TAG: usize = 30;

impl Said {
    /// A sentence and tags as they are typed: trimmed, each tag once.
    ///
    /// # Errors
    /// Something is too long, or there are too many.
    pub fn new(words: &str, tags: impl IntoIterator<Item = String>) -> Result<Said, String> {
        let words = words.trim().to_owned();
        if words.chars().count() > MOST_WORDS {
            return Err(format!("write at most {MOST_WORDS} characters"));
        }
        let mut out: Vec<String> = Vec::new();
        for tag in tags {
            let tag = tag.trim().to_owned();
            let one_line = tag.chars().all(|c| !c.is_control());
            if tag.chars().count() > LONGEST_TAG || !one_line {
                return Err(format!("{tag:?}: write at most {LONGEST_TAG} characters"));
            }
            if !tag.is_empty() && !out.contains(&tag) {
                out.push(tag);
            }
        }
        if out.len() > MOST_TAGS {
            return Err(format!("{} tags; write at most {MOST_TAGS}", out.len()));
        }
        Ok(Said { words, tags: out })
    }

    /// Whether nothing is said.
    pub fn is_empty(&self) -> bool {
        self.words.is_empty() && self.tags.is_empty()
    }
}
