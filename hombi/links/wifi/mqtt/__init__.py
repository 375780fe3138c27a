"""The hub's own MQTT door: a listener that nodes connect to. MQTT 3.1.1 (OASIS, 2014).

packets   bytes to packets and back                     no I/O
topics    names, filters, and finding who subscribed    no I/O
session   what is kept for one client                   no I/O
door      the rules: sign-in, rights, routing, wills    no I/O, time as an argument
listener  the only part with sockets and a clock
"""
