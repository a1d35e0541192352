"""A real initial file system is looked into: what it has, and what it lacks once that is gone."""

from brave_bridge.core.crossing.requests import LookIntoInitrd
from brave_bridge.machines.tree import open_tree
from brave_bridge.runner.performing.initrd import look_into_initrd
from tests.support import bootlab, lab


def test_an_initial_file_system_without_the_root_s_driver_is_told(tmp_path):
    with lab.overlay(bootlab.tree(), tmp_path) as tree:
        kernel = bootlab.kernel_of(tree)
        initrd = f"/boot/initrd.img-{kernel}"

        def looked(root_type: str):
            request = LookIntoInitrd(
                title="look", kernel=kernel, initrd=initrd, before="", root_type=root_type
            )
            return look_into_initrd(open_tree(tree), request)

        for root_type in ("ext4", "btrfs"):
            whole = looked(root_type)
            assert (whole.lacking, whole.unread) == ((), "")
        assert looked("xfs").lacking == ("xfs",)
        hook = tree / "etc/initramfs-tools/hooks/lab"
        hook.write_text(hook.read_text().replace("manual_add_modules btrfs\n", ""))
        code, said = lab.in_tree(tree, "update-initramfs", "-u", "-k", kernel)
        assert code == 0, said
        assert looked("btrfs").lacking == ("btrfs",)
        (tree / initrd.lstrip("/")).write_bytes(b"cut off")
        cut_off = looked("btrfs")
        assert not cut_off.lacking and "packed in a way" in cut_off.unread
