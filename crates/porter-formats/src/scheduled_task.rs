//! Tasks that a Windows does by itself at times, as files (Microsoft: [MS-TSCH], *Task Definitions*; the
//! schema of `http://schemas.microsoft.com/windows/2004/02/mit/task`).

use crate::FormatError;
use crate::xml::Element;

const WHAT: &str = "a scheduled task";
/// The folder of their files, below the root of the system's drive.
pub const FOLDER: &str = "Windows/System32/Tasks";
const SCHEMA: &str = "http://schemas.microsoft.com/windows/2004/02/mit/task";
/// The group of everybody with an account (`S-1-5-32-545`): such a task is done for who is signed in.
const EVERYBODY: &str = "<Principals><Principal id=\"Author\"><GroupId>S-1-5-32-545</GroupId>\
                         <RunLevel>LeastPrivilege</RunLevel></Principal></Principals>";

/// See the module.
#[derive(Debug)]
pub struct ScheduledTask {
    root: Element,
}

impl ScheduledTask {
    /// Reads a file. One without anything to do is damaged.
    pub fn from_bytes(file: &[u8]) -> Result<Self, FormatError> {
        let root = Element::from_bytes(file, WHAT)?;
        if root.name() != "Task" || root.all("Actions").iter().all(|actions| actions.inside().is_empty()) {
            return Err(FormatError::damaged(WHAT, "there is nothing to do in it"));
        }
        Ok(Self { root })
    }

    /// False for one that is switched off.
    pub fn is_enabled(&self) -> bool {
        self.root.text("Settings/Enabled").map(str::trim) != Some("false")
    }

    /// Its work, step by step, in whatever spelling the file has.
    pub fn actions(&self) -> Vec<String> {
        let steps = self.root.all("Actions").into_iter().flat_map(Element::inside);
        let texts = |step: &Element| {
            let mut texts = step.name().to_owned();
            step.each(&mut |part| texts.extend([" ", part.own_text().trim()]));
            texts.split_whitespace().collect::<Vec<_>>().join(" ")
        };
        steps.map(texts).collect()
    }

    /// The same task, switched off, and for who is signed in, with no more rights than that person has. The
    /// people of the old machine are not in it.
    pub fn to_disabled(&self) -> String {
        let version = self.root.attribute("version").unwrap_or("1.2");
        let version: String = version.chars().filter(|c| c.is_ascii_digit() || *c == '.').collect();
        let mut text = format!(
            "<?xml version=\"1.0\" encoding=\"UTF-16\"?>\r\n<Task version=\"{version}\" xmlns=\"{SCHEMA}\">"
        );
        let mut settings = String::new();
        for part in self.root.inside() {
            match part.name() {
                "RegistrationInfo" => part.write_without(&["URI", "SecurityDescriptor"], &mut text),
                "Triggers" => part.write_without(&["UserId"], &mut text),
                "Settings" => {
                    let others = part.inside().iter().filter(|known| known.name() != "Enabled");
                    others.for_each(|known| known.write_without(&[], &mut settings));
                }
                "Data" => part.write_without(&[], &mut text),
                _ => {}
            }
        }
        text.push_str(EVERYBODY);
        text.extend(["<Settings><Enabled>false</Enabled>", &settings, "</Settings>"]);
        text.push_str("<Actions Context=\"Author\">");
        let steps = self.root.all("Actions").into_iter().flat_map(Element::inside);
        steps.for_each(|step| step.write_without(&[], &mut text));
        text.push_str("</Actions></Task>\r\n");
        text
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_task_comes_switched_off_and_for_nobody_of_the_old_machine() {
        let task = "<?xml version=\"1.0\" encoding=\"UTF-16\"?>\r\n<Task version=\"1.3\" xmlns=\"http://schemas.microsoft.com/windows/2004/02/mit/task\">\
            <RegistrationInfo><Author>LOFT-PC\\odile</Author><URI>\\Kites</URI></RegistrationInfo>\
            <Triggers><LogonTrigger><Enabled>true</Enabled><UserId>LOFT-PC\\odile</UserId></LogonTrigger></Triggers>\
            <Principals><Principal id=\"Me\"><UserId>S-1-5-18</UserId><RunLevel>HighestAvailable</RunLevel></Principal></Principals>\
            <Settings><Enabled>true</Enabled><Priority>7</Priority></Settings>\
            <Actions Context=\"Me\"><Exec><Command>C:\\k &amp; s.cmd</Command><Arguments>/now \"a\"</Arguments></Exec></Actions></Task>";
        let utf16: Vec<u8> =
            "\u{feff}".encode_utf16().chain(task.encode_utf16()).flat_map(u16::to_le_bytes).collect();
        let task = ScheduledTask::from_bytes(&utf16).unwrap();
        assert!(task.is_enabled());
        assert_eq!(task.actions(), ["Exec C:\\k & s.cmd /now \"a\""]);
        let text = task.to_disabled();
        let again = ScheduledTask::from_bytes(text.as_bytes()).unwrap();
        assert!(!again.is_enabled());
        assert_eq!(again.actions(), task.actions());
        for gone in ["UserId", "S-1-5-18", "HighestAvailable", "URI", "\"Me\""] {
            assert!(!text.contains(gone), "{gone} in {text}");
        }
        for kept in ["<Priority>7</Priority>", "<LogonTrigger><Enabled>true</Enabled></LogonTrigger>", "1.3"]
        {
            assert!(text.contains(kept), "{kept} in {text}");
        }
        for damaged in ["", "<Task><Actions/></Task>", "<Job><Actions><Exec/></Actions></Job>"] {
            assert!(ScheduledTask::from_bytes(damaged.as_bytes()).is_err(), "{damaged}");
        }
    }
}
