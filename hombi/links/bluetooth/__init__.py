"""Bluetooth nodes, through BlueZ on the system bus.

gatt, decoders, automation_io   codecs: bytes and what they say
adapter                         transport: the adapter, and one scanner that all share
peer                            a node that is connected to
driver                          the link
"""
