"""apt's settings and passwords, as administrators write them."""

from hypothesis import given
from hypothesis import strategies as st

from brave_bridge.core.formats.apt_conf import (
    proxy_for,
    read_logins,
    read_settings,
    settings_in_files,
)

NESTED = """
// the station's cache
Acquire { http { Proxy "http://cache.quayside.example:3142"; Proxy::local.example "DIRECT"; };
          Retries "3"; };
/* https goes
   another way */
Acquire::HTTPS::Proxy "http://tls.quayside.example:3128"; # really
#clear APT::Never;
APT::Periodic::Enable "1";
"""


def test_settings_nest_and_later_files_count_more():
    settings = read_settings([NESTED, 'Acquire::Retries "5";'])
    assert settings["acquire::retries"] == "5" and settings["apt::periodic::enable"] == "1"
    assert proxy_for(settings, "http://a.example/x") == "http://cache.quayside.example:3142"
    assert proxy_for(settings, "http://local.example/x") == ""
    assert proxy_for(settings, "https://a.example/x") == "http://tls.quayside.example:3128"
    assert proxy_for({}, "http://a.example/") == ""
    only_http = read_settings(['Acquire::http::Proxy "http://c.example";'])
    assert proxy_for(only_http, "https://a.example/") == "http://c.example"


@given(st.text(alphabet='{};:"/*#\nab ', max_size=60))
def test_no_settings_are_too_odd_to_read(text):
    assert isinstance(read_settings([text]), dict)


def test_passwords_go_to_their_place_over_tls_and_nowhere_else():
    (login,) = read_logins(
        "machine packages.estuary.example/instruments\nlogin gauge password s3\n"
    )
    assert (login.name, login.password) == ("gauge", "s3")
    base = "https://packages.estuary.example/instruments"
    assert login.is_for(base + "/dists/x/InRelease") and login.is_for(base)
    for other in (
        base.replace("https", "http") + "/x",
        base + "-other/x",
        "https://packages.estuary.example/x",
        "https://other.example/instruments/x",
    ):
        assert not login.is_for(other)
    assert read_logins("machine a login b machine c password d") == []


def test_a_setting_tells_where_it_stands_and_the_last_one_counts():
    files = (
        ("/etc/apt/apt.conf.d/10a", 'APT { Get { Purge "true"; }; };\n'),
        ("/etc/apt/apt.conf", '// mine\nAPT::Get::Purge "false";\n'),
    )
    (setting,) = settings_in_files(files).values()
    assert (setting.value, setting.where) == ("false", "/etc/apt/apt.conf:2")


def test_every_setting_of_a_file_has_its_own_line():
    text = 'A "1"; B "2";\n/* two\nlines */ C {\n  D "4";\n};\nE "6";\n'
    found = settings_in_files([("own", text)]).values()
    assert {setting.name: setting.line for setting in found} == {"a": 1, "b": 1, "c::d": 4, "e": 6}
