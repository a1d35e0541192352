"""The stand-in's package database, in dpkg's own files, and how packages enter and leave it."""

import hashlib
import os
import subprocess
from collections.abc import Callable
from pathlib import Path

from brave_bridge.core.formats.deb822 import stanza_text, stanzas
from brave_bridge.machines.folder import FolderMachine
from brave_bridge.machines.standin.packages import EPOCH, PackageFile

STATUS = "/var/lib/dpkg/status"
INFO = "/var/lib/dpkg/info"

_KEPT_FIELDS = (
    "Package",
    "Priority",
    "Section",
    "Installed-Size",
    "Maintainer",
    "Architecture",
    "Version",
    "Conffiles",
)
"""What stays of a removed package whose config files stay."""


class ConffileQuestion(Exception):
    """A config file is changed on both sides and nobody said whose version stands."""


class ScriptFailed(Exception):
    """A package's script ended with an error."""


class Database:
    """The packages of a stand-in: stanzas by name, written back after every step.

    Where it ``saves_at_once`` no more, they are written by ``write`` alone.
    """

    def __init__(
        self, machine: FolderMachine, status: str = STATUS, *, saves_at_once: bool = True
    ) -> None:
        self.machine = machine
        self.saves_at_once = saves_at_once
        self.path = status
        text = machine.files.read_if_there(status, 100_000_000) or b""
        self.stanzas = {s["Package"]: s for s in stanzas(text.decode(), where=status)}

    def save(self) -> None:
        """Write the database after a step, where that is wanted."""
        if self.saves_at_once:
            self.write()

    def write(self) -> None:
        """Write the database."""
        ordered = [self.stanzas[name] for name in sorted(self.stanzas)]
        self.machine.files.write(self.path, "\n".join(map(stanza_text, ordered)).encode())

    def installed(self) -> dict[str, dict[str, str]]:
        """The stanzas of packages that are more than config files."""
        return {
            name: fields
            for name, fields in self.stanzas.items()
            if self.state(name) not in ("config-files", "not-installed")
        }

    def state(self, name: str) -> str:
        """The last word of a package's Status field."""
        return self.stanzas.get(name, {}).get("Status", "x x not-installed").split()[-1]

    def held(self, name: str) -> bool:
        """Whether the administrator keeps it from changing."""
        return self.stanzas.get(name, {}).get("Status", "").startswith("hold ")

    def unfinished(self) -> list[str]:
        """The packages that are unpacked or half configured."""
        return [n for n in sorted(self.stanzas) if self.state(n) in ("unpacked", "half-configured")]

    def unpack(self, package: PackageFile) -> None:
        """Put a package's files in place; its config files wait for ``configure``."""
        name = package.name
        before = self.stanzas.get(name, {})
        old_files = set(self._listed(name)) if before else set()
        self._run_script(
            package.scripts.get("preinst"),
            name,
            ["upgrade", before["Version"]] if before.get("Version") else ["install"],
        )
        for path, content in package.files.items():
            if path in package.conffiles:
                self.machine.files.write(path + ".dpkg-new", content)
            else:
                self._put(path, content)
        for path, target in package.links.items():
            self._link(path, target)
        new_files = set(package.files) | set(package.links)
        for path in old_files - new_files - set(self._conffiles(before)):
            self.machine.files.remove(path)
        self._write_info(package, sorted(new_files))
        self._record(package, before)

    def _put(self, path: str, content: bytes) -> None:
        mode = 0o755 if "/bin/" in path or "/sbin/" in path else 0o644
        self.machine.files.remove(path)
        self.machine.files.write(path, content, mode)
        place = self.machine.root / path.lstrip("/")
        if not place.is_symlink():
            os.utime(self.machine.files.place(path), (EPOCH, EPOCH))

    def _link(self, path: str, target: str) -> None:
        self.machine.files.remove(path)
        place = self.machine.files.place(path, follow_last=False)
        place.parent.mkdir(parents=True, exist_ok=True)
        place.symlink_to(target)

    def _record(self, package: PackageFile, before: dict[str, str]) -> None:
        want = "hold" if before.get("Status", "").startswith("hold ") else "install"
        fields = {"Package": package.name, "Status": f"{want} ok unpacked"}
        fields.update({k: v for k, v in package.fields.items() if k != "Package"})
        if before.get("Version"):
            fields["Config-Version"] = before.get("Config-Version", before["Version"])
        known = self._conffiles(before)
        if package.conffiles:
            fields["Conffiles"] = "".join(
                f"\n{path} {known.get(path, 'newconffile')}" for path in package.conffiles
            )
        self.stanzas[package.name] = fields
        self.save()

    @staticmethod
    def _conffiles(fields: dict[str, str]) -> dict[str, str]:
        rows = (line.split() for line in fields.get("Conffiles", "").splitlines())
        return {row[0]: row[1] for row in rows if len(row) >= 2}

    def _listed(self, name: str) -> list[str]:
        text = self.machine.files.read_if_there(f"{INFO}/{name}.list", 10_000_000) or b""
        return text.decode().splitlines()

    def _write_info(self, package: PackageFile, files: list[str]) -> None:
        base = f"{INFO}/{package.name}"
        self.machine.files.write(f"{base}.list", "".join(f"{path}\n" for path in files).encode())
        if package.conffiles:
            text = "".join(f"{path}\n" for path in package.conffiles)
            self.machine.files.write(f"{base}.conffiles", text.encode())
        for kind in ("preinst", "postinst", "prerm", "postrm"):
            if kind in package.scripts:
                self.machine.files.write(f"{base}.{kind}", package.scripts[kind], 0o755)
            else:
                self.machine.files.remove(f"{base}.{kind}")

    def configure(self, name: str, keep_mine: bool | None, say: Callable[[str], None]) -> None:
        """Settle a package's config files and run its script.

        ``keep_mine`` answers for files changed on both sides; None leaves the question open
        and raises ConffileQuestion. ScriptFailed leaves the package half configured.
        """
        fields = self.stanzas[name]
        settled = {
            path: self._settle(path, shipped, keep_mine, say)
            for path, shipped in self._conffiles(fields).items()
        }
        if settled:
            fields["Conffiles"] = "".join(f"\n{path} {md5}" for path, md5 in settled.items())
        before = fields.get("Config-Version", "")
        script = self.machine.files.read_if_there(f"{INFO}/{name}.postinst", 1_000_000)
        try:
            self._run_script(script, name, ["configure", before])
        except ScriptFailed:
            self._set_state(name, "half-configured")
            raise
        fields.pop("Config-Version", None)
        self._set_state(name, "installed")

    def _settle(
        self, path: str, shipped: str, keep_mine: bool | None, say: Callable[[str], None]
    ) -> str:
        new = self.machine.files.read_if_there(path + ".dpkg-new", 16_000_000)
        if new is None:
            return shipped
        present = self.machine.files.read_if_there(path, 16_000_000)
        new_sum = _md5(new)
        present_sum = _md5(present) if present is not None else ""
        untouched = present_sum == shipped or (present is None and shipped == "newconffile")
        if untouched or present_sum == new_sum or new_sum == shipped:
            if untouched and present_sum != new_sum:
                self.machine.files.write(path, new, 0o644)
            self.machine.files.remove(path + ".dpkg-new")
        elif keep_mine is None:
            raise ConffileQuestion(path)
        elif keep_mine:
            say(f"Configuration file '{path}'\n ==> Keeping old config file as default.")
            self.machine.files.move(path + ".dpkg-new", path + ".dpkg-dist")
        else:
            say(f"Configuration file '{path}'\n ==> Using new config file as default.")
            if present is not None:
                self.machine.files.write(path + ".dpkg-old", present)
            self.machine.files.move(path + ".dpkg-new", path)
        return new_sum

    def remove(self, name: str) -> None:
        """Take a package away; its config files stay."""
        fields = self.stanzas[name]
        script = self.machine.files.read_if_there(f"{INFO}/{name}.prerm", 1_000_000)
        self._run_script(script, name, ["remove"])
        conffiles = self._conffiles(fields)
        for path in self._listed(name):
            if path not in conffiles:
                self.machine.files.remove(path)
        if conffiles:
            kept = {name: fields[name] for name in _KEPT_FIELDS if name in fields}
            self.stanzas[name] = {**kept, "Status": "deinstall ok config-files"}
            text = "".join(f"{path}\n" for path in sorted(conffiles))
            self.machine.files.write(f"{INFO}/{name}.list", text.encode())
        else:
            del self.stanzas[name]
            self.machine.files.remove(f"{INFO}/{name}.list")
        for kind in ("preinst", "postinst", "prerm", "conffiles"):
            self.machine.files.remove(f"{INFO}/{name}.{kind}")
        self.save()

    def _set_state(self, name: str, state: str) -> None:
        want = self.stanzas[name]["Status"].split()[0]
        self.stanzas[name]["Status"] = f"{want} ok {state}"
        self.save()

    def _run_script(self, script: bytes | None, name: str, words: list[str]) -> None:
        """Run a script the way --force-script-chrootless does: here, with DPKG_ROOT set."""
        if not script:
            return
        root: Path = self.machine.root
        done = subprocess.run(
            ["/bin/sh", "-s", "--", *words],
            input=script,
            env={
                "PATH": "/usr/sbin:/usr/bin:/sbin:/bin",
                "DPKG_ROOT": str(root),
                "DPKG_MAINTSCRIPT_PACKAGE": name,
                "LC_ALL": "C",
            },
            capture_output=True,
            check=False,
            cwd=root,
        )
        if done.returncode != 0:
            raise ScriptFailed(
                f"installed {name} package post-installation script subprocess "
                f"returned error exit status {done.returncode}"
            )


def _md5(content: bytes) -> str:
    return hashlib.md5(content, usedforsecurity=False).hexdigest()
