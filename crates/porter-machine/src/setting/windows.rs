//! Settings that a Windows keeps in the registry of a person. Each is a file below: its name, its values and
//! their types, the standards of Windows, and the way by which a session that runs notices a change.
//!
//! `docs/settings.md` says where each fact comes from.

pub mod list;
pub mod odbc;
pub mod own;
pub mod personal_setting;
pub mod server_printer;
pub mod table;
pub mod tell;

mod accessibility;
mod autostart;
mod background;
mod default_programs;
mod effects;
mod environment;
mod file_view;
mod formats;
mod keyboard_layouts;
mod languages;
mod look;
mod magnifier;
mod mouse;
mod network_drive;
mod pointers;
mod region;
mod screen_saver;
mod sounds;
mod taskbar;
mod text_size;
mod typing;
mod usual_printer;
mod wallpaper;
mod window_fonts;
