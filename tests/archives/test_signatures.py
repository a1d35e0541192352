"""Who signed something: only a key that is good today vouches for anything."""

from datetime import UTC, datetime, timedelta

import pytest
from pysequoia import Cert, SignatureMode, Tsk, sign

from brave_bridge.archives.fault import ArchiveFault
from brave_bridge.archives.signatures import end_of, verified
from brave_bridge.core.survey.facts import KeyFile
from brave_bridge.families.deb.keys import key_file
from brave_bridge.machines.queries import Found

TODAY = datetime.now(UTC)


@pytest.fixture(scope="module")
def key() -> Tsk:
    return Tsk.generate("Tide Archive <archive@northlight.example>")


def good_until(key: Tsk, days: int) -> bytes:
    known = key.extract_certificate()
    ends = TODAY + timedelta(days=days)
    return str(known.set_expiration(ends, key.certifier())).encode()


@pytest.mark.parametrize("mode", [SignatureMode.CLEAR, SignatureMode.DETACHED])
def test_a_key_that_has_expired_vouches_for_nothing_whatever_it_says_when_it_signed(key, mode):
    content = b"Suite: bowline\n"
    signed = bytes(sign(key.signer(), content, mode=mode))
    given = (signed, None) if mode is SignatureMode.CLEAR else (content, signed)
    own = good_until(key, 30)
    found, signers = verified(given[0], [own], given[1])
    assert found.strip() == content.strip() and signers == (key.extract_certificate().fingerprint,)
    later = lambda: TODAY + timedelta(days=31)  # noqa: E731
    with pytest.raises(ArchiveFault, match=r"that signed it expired on \d{4}-"):
        verified(given[0], [own], given[1], later)
    # Its owner has prolonged it; the older copy is still beside it.
    assert verified(given[0], [own, good_until(key, 400)], given[1], later)[1] == signers


def test_a_key_that_was_revoked_vouches_for_nothing(key):
    known = key.extract_certificate()
    revoked = Cert.from_bytes(bytes(known) + bytes(known.revoke(key.certifier())))
    assert revoked.is_revoked
    signed = bytes(sign(key.signer(), b"tide", mode=SignatureMode.CLEAR))
    with pytest.raises(ArchiveFault, match=r"revoked|no key of this machine"):
        verified(signed, [str(revoked).encode()])


def kept(content: bytes) -> KeyFile:
    return key_file(Found("/etc/apt/keyrings/tide.asc", "file", len(content)), content)


def test_a_file_of_keys_tells_until_when_it_vouches(key):
    ends = f"{TODAY + timedelta(days=30):%Y-%m-%d}"
    assert kept(good_until(key, 30)).ends == ends
    assert kept(good_until(key, 30) + good_until(key, 400)).ends > ends
    assert kept(b"no key at all") == KeyFile("/etc/apt/keyrings/tide.asc", 13)
    known = key.extract_certificate()
    revoked = Cert.from_bytes(bytes(known) + bytes(known.revoke(key.certifier())))
    assert "revoked" in kept(str(revoked).encode()).fault


def test_a_key_that_nothing_trusted_binds_together_has_no_end_and_raises_nothing():
    class Unsound:
        @property
        def expiration(self):
            raise RuntimeError("SHA1 is not considered secure since 2023-02-01T00:00:00Z")

    assert end_of(Unsound()) is None
