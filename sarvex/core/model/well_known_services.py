"""Well-known services: facts of the IANA service-name and protocol registries, with the words people use.

One application's transports and portless parts stand together, so that none is forgotten. An entry is an
offer; it becomes part of a network only when somebody takes it.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

# name | members | words it is also known by
_TABLE = """
amqp | tcp/5672, sctp/5672 | message queue broker
amqps | tcp/5671 | message queue broker tls
bacnet | udp/47808 | building automation control
bfd | udp/3784 | bidirectional forwarding detection
bfd-multihop | udp/4784 | bidirectional forwarding detection
bgp | tcp/179 | border gateway routing
bittorrent | tcp/6881-6889 | file sharing
bootps | udp/67 | dhcp server
bootpc | udp/68 | dhcp client
capwap-control | udp/5246 | wireless controller access point
capwap-data | udp/5247 | wireless controller access point
chargen | tcp/19, udp/19 | character generator
coap | udp/5683, tcp/5683 | constrained devices
coaps | udp/5684, tcp/5684 | constrained devices dtls
daytime | tcp/13, udp/13 | time
dhcp | udp/67-68 | address lease bootp
dhcpv6-client | udp/546 | address lease
dhcpv6-server | udp/547 | address lease
dicom | tcp/104, tcp/11112 | medical imaging
diameter | tcp/3868, sctp/3868 | authentication accounting
discard | tcp/9, udp/9 | sink
dnp3 | tcp/20000, udp/20000 | process control grid
dns | udp/53, tcp/53 | domain name resolution lookup
dns-over-tls | tcp/853, udp/853 | domain name private dot doq
echo | tcp/7, udp/7 | echo
enip | tcp/44818, udp/44818, udp/2222 | industrial ethernet control
esp | esp | ipsec tunnel encryption
etherip | etherip | tunnel
finger | tcp/79 | user information
ftp | tcp/21 | file transfer control
ftp-data | tcp/20 | file transfer
ftps | tcp/990 | file transfer tls
ftps-data | tcp/989 | file transfer tls
gelf | udp/12201, tcp/12201 | log messages
git | tcp/9418 | source code
gopher | tcp/70 | documents
gre | gre | tunnel generic routing encapsulation
gtp-control | udp/2123 | mobile core
gtp-user | udp/2152 | mobile core
h323 | tcp/1720 | voice video call signalling
hl7 | tcp/2575 | medical messages mllp
http | tcp/80 | web clear
http-alt | tcp/8080 | web proxy
https | tcp/443, udp/443 | web tls quic secure
https-alt | tcp/8443 | web tls
iax | udp/4569 | voice
iccp | tcp/102 | control centre mms iso tsap s7
icmp | icmp | control messages
icmp6 | icmp6 | control messages neighbour discovery
ident | tcp/113 | identification
iec-104 | tcp/2404 | telecontrol grid
igmp | igmp | multicast groups
ike | udp/500 | ipsec key exchange isakmp vpn
imap | tcp/143 | mail reading
imaps | tcp/993 | mail reading tls
ipcomp | ipcomp | compression
ipp | tcp/631, udp/631 | printing
ipsec | udp/500, udp/4500, esp, ah | vpn tunnel ike nat traversal
ipsec-nat-t | udp/4500 | vpn tunnel nat traversal
irc | tcp/6667 | chat
ircs | tcp/6697 | chat tls
iscsi | tcp/3260 | storage block
isns | tcp/3205, udp/3205 | storage names
iperf | tcp/5001, udp/5001 | bandwidth test
kerberos | tcp/88, udp/88 | authentication tickets
kpasswd | tcp/464, udp/464 | password change kerberos
knx | udp/3671, tcp/3671 | building automation
l2tp | udp/1701 | tunnel vpn
ldap | tcp/389, udp/389 | directory
ldaps | tcp/636 | directory tls
ldp | tcp/646, udp/646 | label distribution mpls
llmnr | udp/5355, tcp/5355 | local name resolution
lpd | tcp/515 | printing line printer
mdns | udp/5353 | local name resolution discovery
megaco | tcp/2944, udp/2944, sctp/2944 | media gateway
mgcp | udp/2427, udp/2727 | media gateway
modbus | tcp/502 | process control plc
modbus-tls | tcp/802 | process control plc
mqtt | tcp/1883 | sensor messages broker
mqtts | tcp/8883 | sensor messages broker tls
nbd | tcp/10809 | storage block
netbios-datagram | udp/138 | file sharing names
netbios-names | udp/137 | file sharing names
netbios-session | tcp/139 | file sharing
netconf-ssh | tcp/830 | device configuration
netconf-tls | tcp/6513 | device configuration
netflow-ipfix | udp/4739, tcp/4739, sctp/4739 | flow export ipfix
nfs | tcp/2049, udp/2049 | file sharing
nntp | tcp/119 | news
nntps | tcp/563 | news tls
ntp | udp/123 | time clock
nts | tcp/4460 | time clock key establishment secure
opc-ua | tcp/4840 | process control unified architecture
openflow | tcp/6653 | switch controller
ospf | ospf | routing
pcep | tcp/4189 | path computation
pcp | udp/5351 | port control nat
pgp-keys | tcp/11371 | key server hkp
pim | pim | multicast routing
ping | icmp/8, icmp6/128 | echo request alive
pop3 | tcp/110 | mail reading
pop3s | tcp/995 | mail reading tls
pptp | tcp/1723, gre | tunnel vpn
precision-time | udp/319-320 | ptp clock time
print-raw | tcp/9100 | printing pdl
profinet | udp/34964 | industrial control
qotd | tcp/17, udp/17 | quote
radius | udp/1812 | authentication
radius-accounting | udp/1813 | accounting
radius-tls | tcp/2083, udp/2083 | authentication radsec
rdp | tcp/3389, udp/3389 | remote desktop
rip | udp/520 | routing
ripng | udp/521 | routing
rlogin | tcp/513 | remote login
rpc | tcp/111, udp/111 | portmapper rpcbind sunrpc
rsvp | rsvp | reservation
rsync | tcp/873 | file copy backup
rtmp | tcp/1935 | video stream
rtsp | tcp/554, udp/554 | video stream camera
rtsps | tcp/322 | video stream camera tls
rtp | udp/5004 | media stream
rtcp | udp/5005 | media stream control
sccp | tcp/2000 | phone signalling
sflow | udp/6343 | flow export
sieve | tcp/4190 | mail filter
sip | tcp/5060, udp/5060, sctp/5060 | voice call signalling
sips | tcp/5061, sctp/5061 | voice call signalling tls
slp | tcp/427, udp/427 | service location
smb | tcp/445 | file sharing cifs
smtp | tcp/25 | mail transfer
smtps | tcp/465 | mail submission tls
snmp | udp/161 | monitoring management
snmp-trap | udp/162 | monitoring alarms
snmp-tls | tcp/10161, udp/10161 | monitoring management dtls
socks | tcp/1080 | proxy
ssdp | udp/1900 | discovery upnp
ssh | tcp/22 | remote shell secure sftp scp
stun | udp/3478, tcp/3478 | nat traversal turn voice
stuns | tcp/5349, udp/5349 | nat traversal turn tls
submission | tcp/587 | mail submission
syslog | udp/514 | log messages
syslog-tls | tcp/6514, udp/6514 | log messages
systat | tcp/11 | users
tacacs | tcp/49, udp/49 | authentication device administration
telnet | tcp/23 | remote shell clear
telnets | tcp/992 | remote shell tls
teredo | udp/3544 | ipv6 tunnel
tftp | udp/69 | file transfer trivial boot
time | tcp/37, udp/37 | clock
traceroute | udp/33434-33523 | path probing
vnc | tcp/5900 | remote desktop rfb
vrrp | vrrp | gateway redundancy
vxlan | udp/4789 | overlay tunnel
wake-on-lan | udp/9 | magic packet
whois | tcp/43 | registry lookup
ws-discovery | udp/3702, tcp/3702 | discovery onvif camera
x11 | tcp/6000-6063 | display
xmpp | tcp/5222 | chat client
xmpp-server | tcp/5269 | chat federation
"""


@dataclass(frozen=True)
class Known:
    """One well-known service."""

    name: str
    members: tuple[str, ...]
    words: str


@lru_cache(maxsize=1)
def catalogue() -> tuple[Known, ...]:
    """All entries by name."""
    entries = []
    for line in _TABLE.strip().splitlines():
        name, members, words = (part.strip() for part in line.split("|"))
        entries.append(Known(name, tuple(m.strip() for m in members.split(",")), words))
    return tuple(entries)


def search(text: str, limit: int = 12) -> list[Known]:
    """Entries by name, port or any word they are known by, best first.

    >>> [k.name for k in search("123")][:1], [k.name for k in search("clock")][:1]
    (['ntp'], ['ntp'])
    """
    word = text.strip().lower()
    scored = [(rank, len(k.name), k) for k in catalogue() if (rank := _rank(k, word)) is not None]
    scored.sort(key=lambda item: item[:2])
    return [k for _, _, k in scored[:limit]]


def _rank(known: Known, word: str) -> int | None:
    if known.name == word:
        return 0
    ports = [member.partition("/")[2] for member in known.members]
    if word in known.members or word in ports:
        return 1
    if known.name.startswith(word):
        return 2
    if any(w.startswith(word) for w in known.words.split()):
        return 3
    return 4 if word in known.name else None
