"""Which file to open, where to save: the desktop's own dialog where there is one, else Qt's, dressed as the window is."""

from __future__ import annotations

import os
from functools import cache
from pathlib import Path
from typing import Protocol, TypeVar

from PyQt6.QtCore import QDir, QFileInfo, QStandardPaths, QUrl
from PyQt6.QtGui import QAbstractFileIconProvider, QIcon, QShowEvent
from PyQt6.QtWidgets import (
    QApplication,
    QDialogButtonBox,
    QFileDialog,
    QHeaderView,
    QLineEdit,
    QListView,
    QSplitter,
    QToolButton,
    QTreeView,
    QWidget,
)
from PyQt6.sip import isdeleted

from fictilis.app.model.settings import Settings
from fictilis.app.widgets.theme import Palette, icon

PORTAL = "xdgdesktopportal"  # Qt's word for the dialogs of the desktop
BUTTONS = {
    "backButton": ("caret-left", "Folder before"), "forwardButton": ("caret-right", "Folder after"),
    "toParentButton": ("caret-up", "Folder above"), "newFolderButton": ("plus", "New folder"),
    "listModeButton": ("list-bullets", "Names only"), "detailModeButton": ("sliders-horizontal", "Names, sizes and dates"),
}  # fmt: skip
PLACES, SIZE, KIND = 150, (820, 520), 2  # pixels, pixels, a column
T = TypeVar("T")


def use_portal() -> None:
    """Before there is an application: ask for the desktop's own dialogs, where this session has a service for them."""
    folders = os.environ.get("XDG_DATA_DIRS") or "/usr/local/share:/usr/share"
    service = "dbus-1/services/org.freedesktop.portal.Desktop.service"
    session = os.environ.get("XDG_CURRENT_DESKTOP") and os.environ.get("DBUS_SESSION_BUS_ADDRESS")
    if session and any((Path(f) / service).exists() for f in folders.split(":")):
        os.environ.setdefault("QT_QPA_PLATFORMTHEME", PORTAL)


class _Icons(QAbstractFileIconProvider):
    """Folders and files in the strokes of the window's icons."""

    def __init__(self, palette: Palette) -> None:
        super().__init__()
        self.folder, self.file = icon("folder", palette), icon("file", palette)

    def icon(self, of: QFileInfo | QAbstractFileIconProvider.IconType) -> QIcon:
        if isinstance(of, QFileInfo):
            return self.folder if of.isDir() else self.file
        return self.file if of == QAbstractFileIconProvider.IconType.File else self.folder


@cache  # Qt does not keep it, and asks it from a thread that may outlive the dialog
def _icons(palette: Palette) -> _Icons:
    return _Icons(palette)


class FileDialog(QFileDialog):
    """Qt's dialog with the window's icons and words, and the last folders at its side."""

    def __init__(
        self, window: QWidget | None, palette: Palette, title: str, folder: str, kinds: str, places: list[str]
    ) -> None:
        super().__init__(window, title, folder, kinds)
        self.setOption(QFileDialog.Option.DontUseNativeDialog, os.environ.get("QT_QPA_PLATFORMTHEME") != PORTAL)
        if not self.testOption(QFileDialog.Option.DontUseNativeDialog):
            return
        self.setIconProvider(_icons(palette))
        self.setViewMode(QFileDialog.ViewMode.Detail)
        home = QStandardPaths.writableLocation(QStandardPaths.StandardLocation.HomeLocation)
        self.setSidebarUrls([QUrl.fromLocalFile(place) for place in dict.fromkeys([home, *places]) if Path(place).is_dir()])
        L = QFileDialog.DialogLabel
        for label, words in ((L.LookIn, "Folder"), (L.FileName, "Name"), (L.FileType, "Kind")):
            self.setLabelText(label, words)
        for name, (picture, tip) in BUTTONS.items():
            button = self.findChild(QToolButton, name)
            if button is not None:
                button.setIcon(icon(picture, palette))
                button.setToolTip(tip)
        side, parts = self.findChild(QListView, "sidebar"), self.findChild(QSplitter)
        if side is not None and parts is not None:
            side.setMinimumWidth(PLACES)
            parts.setSizes([PLACES, SIZE[0] - PLACES])
        self.resize(*SIZE)

    def showEvent(self, event: QShowEvent | None) -> None:
        """Set what Qt would overwrite earlier: icons of the buttons, and columns."""
        super().showEvent(event)
        box, rows = self.findChild(QDialogButtonBox), self.findChild(QTreeView, "treeView")
        for button in box.buttons() if box is not None else ():
            button.setIcon(QIcon())
        head = rows.header() if rows is not None else None
        if rows is not None and head is not None:
            rows.setColumnHidden(KIND, True)
            head.setStretchLastSection(False)
            for column, wide in enumerate((0, 100, 0, 160)):
                head.setSectionResizeMode(
                    column, QHeaderView.ResizeMode.Interactive if wide else QHeaderView.ResizeMode.Stretch
                )
                head.resizeSection(column, wide)


class SaveDialog(FileDialog):
    """Asks where to save. The kind of file follows the name, and the name the kind."""

    def __init__(
        self, window: QWidget | None, palette: Palette, title: str, folder: str, name: str, kinds: str, places: list[str]
    ) -> None:
        super().__init__(window, palette, title, folder, kinds, places)
        self.setAcceptMode(QFileDialog.AcceptMode.AcceptSave)
        self.suffixes = {kind: [f[1:] for f in kind[kind.rindex("(") + 1 : -1].split()] for kind in kinds.split(";;")}
        self.selectFile(name)
        field = self.findChild(QLineEdit)  # none in the desktop's own
        if field is not None:
            self.name = field
            self._follow(name)
            field.textEdited.connect(self._follow)
            self.filterSelected.connect(lambda kind: field.setText(self.named(field.text(), kind)))

    def _follow(self, name: str) -> None:
        """The kind that a name's end asks for."""
        for kind, suffixes in self.suffixes.items():
            if any(name.lower().endswith(suffix) for suffix in suffixes) and kind != self.selectedNameFilter():
                self.selectNameFilter(kind)
                self.name.setText(name)

    def named(self, name: str, kind: str) -> str:
        """A name with the end of a kind."""
        path, suffixes = Path(name), self.suffixes.get(kind)
        if not suffixes or any(path.name.lower().endswith(s) for s in suffixes):
            return name
        known = any(path.suffix.lower() in ends for ends in self.suffixes.values())
        return f"{path.with_suffix('') if known else path}{suffixes[0]}"


class Dressed(Protocol):
    """What the chooser knows of the window."""

    settings: Settings
    palette_: Palette


class FileChooser:
    """Asks for files. Tests put their own in its place."""

    def __init__(self, window: QWidget, dressed: Dressed) -> None:
        self.window, self.dressed = window, dressed
        self.folder = next(iter(self.places()), str(Path.home()))

    def places(self) -> list[str]:
        """The folders used last."""
        settings = self.dressed.settings
        return list(dict.fromkeys([*settings.folders(), *(str(Path(p).parent) for p in settings.recent())]))

    def _remember(self, paths: list[str], folder: bool = False) -> list[Path]:
        if paths:
            self.folder = str(Path(paths[0]) if folder else Path(paths[0]).parent)
            self.dressed.settings.add_folder(self.folder)
        return [Path(path) for path in paths]

    def _asked(self, dialog: QFileDialog) -> list[str]:
        had = QApplication.focusWidget()
        try:
            return dialog.selectedFiles() if dialog.exec() else []
        finally:
            keys_back(self.window, had)
            dialog.deleteLater()

    def _dialog(self, title: str, kinds: str, mode: QFileDialog.FileMode) -> FileDialog:
        dialog = FileDialog(self.window, self.dressed.palette_, title, self.folder, kinds, self.places())
        dialog.setFileMode(mode)
        return dialog

    def open(self, title: str, kinds: str) -> Path | None:
        dialog = self._dialog(title, kinds, QFileDialog.FileMode.ExistingFile)
        return next(iter(self._remember(self._asked(dialog))), None)

    def open_several(self, title: str, kinds: str) -> list[Path]:
        return self._remember(self._asked(self._dialog(title, kinds, QFileDialog.FileMode.ExistingFiles)))

    def save(self, title: str, name: str, kinds: str) -> Path | None:
        dialog = SaveDialog(self.window, self.dressed.palette_, title, self.folder, name, kinds, self.places())
        kind = dialog.selectedNameFilter
        paths = [path if Path(path).suffix else dialog.named(path, kind()) for path in self._asked(dialog)]
        return next(iter(self._remember(paths)), None)

    def folder_for(self, title: str) -> Path | None:
        dialog = self._dialog(title, "", QFileDialog.FileMode.Directory)
        dialog.setFilter(QDir.Filter.Dirs | QDir.Filter.NoDotAndDotDot)
        return next(iter(self._remember(self._asked(dialog), True)), None)


def keys_back(window: QWidget, had: QWidget | None) -> None:
    """The keys go to what had them before a dialog, or to the view where that is gone or is a field to type in."""
    stays = had is not None and not isdeleted(had) and had.isVisible() and had.window() is window
    (had if stays and not isinstance(had, QLineEdit) and had is not None else window).setFocus()
