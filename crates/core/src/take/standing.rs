//! Clean-ups that hold for a program.

use super::tidy::{NoStep, Step};

/// Clean-ups of everything that is pasted into a program, by the class of its window.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Standing(Vec<(String, Vec<Step>)>);

impl Standing {
    /// What goes into windows of this class is cleaned up so: names with commas between them.
    ///
    /// # Errors
    /// There is no such step.
    pub fn insert(&mut self, class: String, names: &str) -> Result<(), NoStep> {
        let steps = names.split(',').map(str::parse).collect::<Result<_, _>>()?;
        self.0.push((class, steps));
        Ok(())
    }

    /// True when nothing is cleaned up for any program.
    pub fn is_empty(&self) -> bool {
        self.0.is_empty()
    }

    /// The steps for a window of this class; none for most.
    pub fn steps(&self, class: &str) -> &[Step] {
        let found = self.0.iter().find(|(known, _)| known.eq_ignore_ascii_case(class));
        found.map_or(&[], |(_, steps)| steps)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_program_is_known_by_its_class_however_that_is_written() {
        let mut standing = Standing::default();
        assert!(standing.is_empty());
        standing.insert("Mail".into(), "trim, one-line").unwrap();
        assert_eq!(standing.steps("mail"), [Step::Trim, Step::OneLine]);
        assert_eq!(standing.steps("XTerm"), []);
        assert_eq!(standing.insert("Other".into(), "tirm").unwrap_err().near, Some("trim"));
    }
}
