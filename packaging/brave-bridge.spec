# Built by `make packages` around the bundle, which needs nothing of the system.
%define _build_id_links none
%define __os_install_post %{nil}
%define _binary_payload w3.gzdio

Name: brave-bridge
Version: %{bundle_version}
Release: 1
Summary: Takes machines from one operating-system release to the next
License: Apache-2.0
AutoReqProv: no

%description
Takes workstations and servers from one release to the next, step by step, with a way back.

%install
mkdir -p %{buildroot}/usr/lib %{buildroot}/usr/bin
cp -a %{bundle} %{buildroot}/usr/lib/brave-bridge
ln -s ../lib/brave-bridge/brave-bridge %{buildroot}/usr/bin/brave-bridge

%files
/usr/lib/brave-bridge
/usr/bin/brave-bridge
