"""What ends the screen is told without the values that it held."""

import pytest

from brave_bridge.core.licensed.key import LicenceKey
from brave_bridge.tui.app import BraveBridge
from brave_bridge.tui.key_dialog import EnterKey
from tests.support.keys import CREW


@pytest.mark.parametrize("words", ["brave"])
def test_a_key_that_was_typed_is_in_no_report(words, monkeypatch, tmp_path, capsys):
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path))

    def fails(typed: str) -> LicenceKey:
        raise RuntimeError(words)

    class Broken(BraveBridge):
        def on_mount(self) -> None:
            self.push_screen(EnterKey("a key", fails))
            self.set_timer(0.2, self._type)

        def _type(self) -> None:
            dialog = self.screen
            dialog.query_one("Input").value = CREW
            self.set_timer(0.2, lambda: dialog.query_one("Input").action_submit())

    app = Broken(("--tree", str(tmp_path)))
    with pytest.raises(RuntimeError, match=words):
        import asyncio

        async def drive() -> None:
            async with app.run_test() as pilot:
                await pilot.pause(1.5)

        asyncio.run(drive())
    app._print_error_renderables()
    told = "".join(capsys.readouterr())
    assert words in told and CREW not in told, told
