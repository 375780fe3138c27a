"""The hub's own MQTT listener: a listener that nodes connect to. MQTT 3.1.1 (OASIS,
2014) and MQTT 5 (OASIS, 2019).

wire        the standard's data types                     no I/O
properties  the properties of MQTT 5                      no I/O
packets     bytes to packets and back                     no I/O
topics      names, filters, and finding who subscribed    no I/O
session     what is kept for one client                   no I/O
contract    what the door needs of the wire and its host
connection  one client: its packets, in order, at a bounded rate     no I/O
door        the rules for all: routing, sessions, wills   no I/O, time as an argument
listener    the only part with sockets and a clock
"""
