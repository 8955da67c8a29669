//! Tasks that a running Windows does by itself at times. Each is made switched off: somebody looks at it and
//! switches it on.

#[cfg(not(windows))]
#[path = "scheduled_task/unix.rs"]
mod system;
#[cfg(windows)]
#[path = "scheduled_task/windows.rs"]
mod system;

use super::{Control, fact};
use porter_formats::scheduled_task::ScheduledTask;
use porter_names::Facts;
use std::io;

/// See the module. Its facts are [`NAME`] and [`DEFINITION`].
pub struct ScheduledTasks;

/// The fact that names a task, with the folders that it is in: `From LOFT-PC\Back up`.
pub const NAME: &str = "name";
/// The fact that has the text of its definition.
pub const DEFINITION: &str = "definition";

/// Windows' keeper of tasks: a function for each of its calls.
pub trait Scheduler {
    /// The definition of a task; none if there is no such task.
    fn definition(&self, name: &str) -> io::Result<Option<Vec<u8>>>;
    /// Makes a task that is not there.
    fn make(&self, name: &str, definition: &str) -> io::Result<()>;
    /// Deletes one.
    fn delete(&self, name: &str) -> io::Result<()>;
}

/// A name may lead to no other place than the folder of tasks.
fn name_of(facts: &Facts) -> io::Result<&str> {
    let name = fact(facts, NAME)?;
    let is_step = |step: &str| {
        !step.is_empty()
            && !step.starts_with(['.', ' '])
            && !step.ends_with(['.', ' '])
            && !step.contains(|c: char| c.is_control() || "/:*?\"<>|".contains(c))
    };
    if name.len() > 200 || !name.split('\\').all(is_step) {
        return Err(io::Error::new(io::ErrorKind::InvalidData, "no task can be called so"));
    }
    Ok(name)
}

fn damaged(cause: impl std::fmt::Display) -> io::Error {
    io::Error::new(io::ErrorKind::InvalidData, cause.to_string())
}

fn read(scheduler: &dyn Scheduler, like: &Facts) -> io::Result<Option<Facts>> {
    let name = name_of(like)?;
    let found = scheduler.definition(name)?;
    let facts = |definition: Vec<u8>| {
        let definition = porter_formats::encoding::by_mark(&definition);
        [(NAME, name.to_owned()), (DEFINITION, definition)]
            .map(|(name, value)| (name.to_owned(), value))
            .into()
    };
    Ok(found.map(facts))
}

fn set(scheduler: &dyn Scheduler, becomes: &Facts) -> io::Result<()> {
    let (name, definition) = (name_of(becomes)?, fact(becomes, DEFINITION)?);
    // The facts may be anybody's: nothing comes that would run by itself.
    let task = ScheduledTask::from_bytes(definition.as_bytes()).map_err(damaged)?;
    if task.is_enabled() {
        return Err(damaged("the task is not switched off"));
    }
    if scheduler.definition(name)?.is_some() {
        return Err(io::ErrorKind::AlreadyExists.into());
    }
    scheduler.make(name, definition)?;
    let made = scheduler.definition(name)?.and_then(|file| ScheduledTask::from_bytes(&file).ok());
    match made {
        Some(made) if !made.is_enabled() && made.actions() == task.actions() => Ok(()),
        _ => {
            let _ = scheduler.delete(name);
            Err(io::Error::other("the system made it otherwise"))
        }
    }
}

/// The system writes a definition in its own way.
fn is_same(one: &Facts, other: &Facts) -> bool {
    let meaning = |facts: &Facts| {
        let task = ScheduledTask::from_bytes(facts.get(DEFINITION)?.as_bytes()).ok()?;
        Some((task.is_enabled(), task.actions()))
    };
    meaning(one).is_some_and(|one| Some(one) == meaning(other))
}

impl Control for ScheduledTasks {
    fn name(&self) -> &'static str {
        "scheduled-task"
    }

    fn read(&self, _: &str, like: &Facts) -> io::Result<Option<Facts>> {
        read(&system::Here, like)
    }

    fn set(&self, _: &str, becomes: &Facts) -> io::Result<()> {
        set(&system::Here, becomes)
    }

    fn remove(&self, _: &str, made: &Facts) -> io::Result<()> {
        system::Here.delete(name_of(made)?)
    }

    fn shown(&self, _: &str, facts: &Facts) -> String {
        format!("scheduled task {} (switched off)", facts.get(NAME).map_or("", String::as_str))
    }

    fn is_same(&self, one: &Facts, other: &Facts) -> bool {
        is_same(one, other)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::cell::RefCell;

    /// A keeper of tasks, which may switch on all that it is given.
    #[derive(Default)]
    struct Recording(RefCell<Option<String>>, bool);

    impl Scheduler for Recording {
        fn definition(&self, _: &str) -> io::Result<Option<Vec<u8>>> {
            Ok(self.0.borrow().as_ref().map(|text| text.clone().into_bytes()))
        }

        fn make(&self, _: &str, definition: &str) -> io::Result<()> {
            let (off, on) = ("<Enabled>false</Enabled>", "<Enabled>true</Enabled>");
            *self.0.borrow_mut() =
                Some(if self.1 { definition.replace(off, on) } else { definition.to_owned() });
            Ok(())
        }

        fn delete(&self, _: &str) -> io::Result<()> {
            *self.0.borrow_mut() = None;
            Ok(())
        }
    }

    fn task(name: &str, is_enabled: bool) -> Facts {
        let definition = format!(
            "<Task><Settings><Enabled>{is_enabled}</Enabled></Settings><Actions><Exec><Command>C:\\k.cmd</Command></Exec></Actions></Task>"
        );
        [(NAME, name.to_owned()), (DEFINITION, definition)]
            .map(|(name, value)| (name.to_owned(), value))
            .into()
    }

    #[test]
    fn a_task_is_made_switched_off_and_stays_if_somebody_switched_it_on() {
        let scheduler = Recording::default();
        let off = task("From LOFT-PC\\Back up", false);
        set(&scheduler, &off).unwrap();
        assert_eq!(read(&scheduler, &off).unwrap(), Some(off.clone()));
        assert_eq!(set(&scheduler, &off).unwrap_err().kind(), io::ErrorKind::AlreadyExists);
        assert!(!is_same(&off, &task("From LOFT-PC\\Back up", true)), "somebody switched it on");
        // One that runs at once, and one that the system switches on.
        assert!(set(&Recording::default(), &task("x", true)).is_err());
        let eager = Recording(RefCell::default(), true);
        assert!(set(&eager, &off).is_err() && eager.0.borrow().is_none());
        for name in ["", "..\\x", "a\\\\b", "a/b", "C:x", "a.", "a\\..\\b", "\"x"] {
            assert!(set(&Recording::default(), &task(name, false)).is_err(), "{name}");
        }
    }
}
