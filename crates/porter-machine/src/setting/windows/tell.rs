//! The ways by which a session that runs is told of a changed value.

/// A message to a session.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Tell {
    /// Nothing: it counts from the next sign-in, or is looked up each time.
    Nothing,
    /// A call of `SystemParametersInfo`.
    Spi(Spi),
    /// `WM_SETTINGCHANGE` to all windows, with this section.
    Section(&'static str),
    /// The shell: that files are shown in another way.
    FilesShown,
}

/// Actions of `SystemParametersInfo`, by what they are about.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Spi {
    /// `SPI_SETMOUSEBUTTONSWAP`.
    MouseButtons,
    /// `SPI_SETDOUBLECLICKTIME`.
    DoubleClickTime,
    /// `SPI_SETMOUSESPEED`.
    MouseSpeed,
    /// `SPI_SETMOUSE`.
    MouseAcceleration,
    /// `SPI_SETMOUSETRAILS`.
    MouseTrails,
    /// `SPI_SETSNAPTODEFBUTTON`.
    SnapToButton,
    /// `SPI_SETMOUSEHOVERTIME`.
    HoverTime,
    /// `SPI_SETWHEELSCROLLLINES`.
    WheelLines,
    /// `SPI_SETWHEELSCROLLCHARS`.
    WheelLetters,
    /// `SPI_SETCURSORS`.
    Pointers,
    /// `SPI_SETKEYBOARDDELAY`.
    KeyboardDelay,
    /// `SPI_SETKEYBOARDSPEED`.
    KeyboardSpeed,
    /// `SPI_SETCARETWIDTH`.
    CaretWidth,
    /// `SPI_SETDESKWALLPAPER`.
    Wallpaper,
    /// `SPI_SETSCREENSAVETIMEOUT`.
    ScreenSaverTime,
    /// `SPI_SETSCREENSAVEACTIVE`.
    ScreenSaverActive,
}
