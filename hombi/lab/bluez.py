"""A stand-in for BlueZ on a private bus: the objects of `org.bluez` for one adapter,
and what moves on them.

Only the far end is simulated: what looks for nodes and connects to them is the hub's
own driver on the real bus daemon.
"""

from __future__ import annotations

import asyncio
import contextlib
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any

from dbus_fast import Message, MessageType, Variant
from dbus_fast.aio import MessageBus
from dbus_fast.constants import NameFlag

ADAPTER_PATH = "/org/bluez/hci0"
ADAPTER, DEVICE = "org.bluez.Adapter1", "org.bluez.Device1"
SERVICE, CHARACTERISTIC = "org.bluez.GattService1", "org.bluez.GattCharacteristic1"
DESCRIPTOR = "org.bluez.GattDescriptor1"
PROPERTIES, OBJECTS = "org.freedesktop.DBus.Properties", "org.freedesktop.DBus.ObjectManager"
# A burst of signals overflows the reader's socket: the daemon is asked something now
# and then, and so waited for.
BREATHE_EVERY = 100
Object = dict[str, dict[str, Variant]]


@dataclass
class Characteristic:
    """One characteristic: its UUID, its flags, how it is read, and what writing
    does."""

    uuid: str
    flags: list[str]
    read: Callable[[], bytes]
    write: Callable[[bytes], None] = lambda _: None
    notifying: bool = False
    told: bytes = b""
    descriptors: Mapping[str, bytes] = field(default_factory=dict)


@dataclass
class Device:
    """A device in the air: its services by UUID. `hangs` never answers a connect,
    `wants_pairing` refuses until it is paired, `writes_paired` refuses to be
    written until then, `drops` is lost as soon as it is
    connected. `connects` counts."""

    address: str
    name: str
    services: Mapping[str, list[Characteristic]] = field(default_factory=dict)
    uuids: list[str] = field(default_factory=list)
    connected: bool = False
    paired: bool = False
    present: bool = False
    hangs: bool = False
    wants_pairing: bool = False
    writes_paired: bool = False
    drops: bool = False
    connects: int = 0

    @property
    def path(self) -> str:
        """Its object's path, of the shape that BlueZ has."""
        return f"{ADAPTER_PATH}/dev_{self.address.replace(':', '_')}"

    def characteristics(self) -> dict[str, tuple[str, Characteristic]]:
        """Path to (path of its service, characteristic); the last four hex digits are
        its handle."""
        result, handle = {}, 0x0010
        for characteristics in self.services.values():
            service = f"{self.path}/service{handle:04x}"
            for characteristic in characteristics:
                handle += 2
                result[f"{service}/char{handle:04x}"] = (service, characteristic)
                handle += len(characteristic.descriptors)
            handle += 0x10
        return result


class Bluez:
    """`org.bluez` on the bus at an address."""

    def __init__(self, address: str) -> None:
        self._address = address
        self._bus: MessageBus | None = None
        self.devices: dict[str, Device] = {}
        self.scanning: set[str] = set()
        self.powered = True
        self.adapter = True
        self._sent = 0

    async def start(self) -> None:
        """Come onto the bus."""
        self._bus = await MessageBus(bus_address=self._address).connect()
        self._bus.add_message_handler(self._handle)
        await self._bus.request_name("org.bluez", NameFlag.DO_NOT_QUEUE)

    async def stop(self) -> None:
        """Leave the bus; what was connected is so no more."""
        for device in self.devices.values():
            device.connected = device.present = False
        self.scanning.clear()
        bus, self._bus = self._bus, None
        if bus is not None:
            bus.disconnect()
            with contextlib.suppress(Exception):
                await bus.wait_for_disconnect()  # type: ignore[no-untyped-call]

    def power(self, on: bool) -> None:
        """Switch the adapter on or off."""
        self.powered = on
        if not on:
            self.scanning.clear()
            for device in self.devices.values():
                self.disconnect(device)
        self._changed(ADAPTER_PATH, ADAPTER, {"Powered": Variant("b", on)})

    def stop_looking(self) -> None:
        """Look for nodes no more, although clients want it: what a driver does whose
        controller has failed."""
        self.scanning.clear()
        self._changed(ADAPTER_PATH, ADAPTER, {"Discovering": Variant("b", False)})

    def look_again(self, clients: set[str]) -> None:
        """Go on looking for nodes, for these clients."""
        self.scanning |= clients
        self._changed(ADAPTER_PATH, ADAPTER, {"Discovering": Variant("b", True)})

    async def advertise(
        self,
        address: str,
        rssi: int,
        service_data: Mapping[str, bytes],
        manufacturer_data: Mapping[int, bytes],
    ) -> None:
        """A device is heard; while somebody scans, that is told."""
        device = self.devices[address]
        if self._bus is None or not self.scanning:
            return
        moved = {
            "RSSI": Variant("n", rssi),
            "ServiceData": Variant(
                "a{sv}", {uuid: Variant("ay", data) for uuid, data in service_data.items()}
            ),
            "ManufacturerData": Variant(
                "a{qv}",
                {company: Variant("ay", data) for company, data in manufacturer_data.items()},
            ),
        }
        if not device.present:
            device.present = True
            self._added(device.path, {DEVICE: self._device(device) | moved})
        else:
            self._changed(device.path, DEVICE, moved)
        self._sent += 1
        if self._sent % BREATHE_EVERY == 0:
            await self._bus.call(
                Message(
                    "org.freedesktop.DBus", "/org/freedesktop/DBus", "org.freedesktop.DBus", "GetId"
                )
            )

    def disconnect(self, device: Device) -> None:
        """A connection is lost: first that is said, then its objects go."""
        if not device.connected:
            return
        device.connected = False
        paths = device.characteristics()
        for _, characteristic in paths.values():
            characteristic.notifying = False
        self._changed(
            device.path,
            DEVICE,
            {"Connected": Variant("b", False), "ServicesResolved": Variant("b", False)},
        )
        for path in paths:
            for below in self._descriptors(path, paths[path][1]):
                self._removed(below, [DESCRIPTOR])
            self._removed(path, [CHARACTERISTIC])
        for service in {service for service, _ in paths.values()}:
            self._removed(service, [SERVICE])

    def tell(self) -> None:
        """Notify what has changed of what somebody follows."""
        for device in self.devices.values():
            if device.connected:
                for path, (_, characteristic) in device.characteristics().items():
                    if (
                        characteristic.notifying
                        and (value := characteristic.read()) != characteristic.told
                    ):
                        characteristic.told = value
                        self._changed(path, CHARACTERISTIC, {"Value": Variant("ay", value)})

    # Objects

    def _objects(self) -> dict[str, Object]:
        result: dict[str, Object] = {}
        if self.adapter:
            roles = ["central", "peripheral"]
            result[ADAPTER_PATH] = {
                ADAPTER: {
                    "Address": Variant("s", "00:00:5E:00:53:01"),
                    "Powered": Variant("b", self.powered),
                    "Discovering": Variant("b", bool(self.scanning)),
                    "Roles": Variant("as", roles),
                }
            }
        for device in self.devices.values():
            if device.present:
                result[device.path] = {DEVICE: self._device(device)}
                if device.connected:
                    result |= self._gatt(device)
        return result

    def _device(self, device: Device) -> dict[str, Variant]:
        return {
            "Address": Variant("s", device.address),
            "AddressType": Variant("s", "public"),
            "Alias": Variant("s", device.name or device.address.replace(":", "-")),
            **({"Name": Variant("s", device.name)} if device.name else {}),
            "Adapter": Variant("o", ADAPTER_PATH),
            "UUIDs": Variant("as", [*device.services, *device.uuids]),
            "Connected": Variant("b", device.connected),
            "Paired": Variant("b", device.paired),
            "ServicesResolved": Variant("b", device.connected),
        }

    def _gatt(self, device: Device) -> dict[str, Object]:
        result: dict[str, Object] = {}
        uuids = iter(device.services)
        for path, (service, characteristic) in device.characteristics().items():
            if service not in result:
                result[service] = {
                    SERVICE: {
                        "UUID": Variant("s", next(uuids)),
                        "Device": Variant("o", device.path),
                        "Primary": Variant("b", True),
                    }
                }
            result[path] = {
                CHARACTERISTIC: {
                    "UUID": Variant("s", characteristic.uuid),
                    "Service": Variant("o", service),
                    "Flags": Variant("as", characteristic.flags),
                    "MTU": Variant("q", 247),
                }
            }
            for below, (uuid, _) in self._descriptors(path, characteristic).items():
                result[below] = {
                    DESCRIPTOR: {"UUID": Variant("s", uuid), "Characteristic": Variant("o", path)}
                }
        return result

    @staticmethod
    def _descriptors(path: str, characteristic: Characteristic) -> dict[str, tuple[str, bytes]]:
        """The paths of a characteristic's descriptors, each with its UUID and
        content."""
        handle = int(path[-4:], 16)
        return {
            f"{path}/desc{handle + n:04x}": item
            for n, item in enumerate(characteristic.descriptors.items(), 1)
        }

    # Messages

    def _handle(self, message: Message) -> Message | bool | None:
        if message.message_type is not MessageType.METHOD_CALL or not message.path:
            return None
        member = message.member
        if member == "GetManagedObjects":
            return Message.new_method_return(message, "a{oa{sa{sv}}}", [self._objects()])
        if message.path == ADAPTER_PATH:
            return self._adapter_call(message)
        for device in self.devices.values():
            if message.path == device.path:
                return self._device_call(device, message)
            if (
                message.path.startswith(device.path)
                and (known := device.characteristics().get(message.path)) is not None
            ):
                return self._characteristic_call(device, known[1], message)
            for path, (_, characteristic) in (
                device.characteristics().items() if message.path.startswith(device.path) else ()
            ):
                if (
                    descriptor := self._descriptors(path, characteristic).get(message.path)
                ) is not None:
                    return Message.new_method_return(message, "ay", [descriptor[1]])
        return Message.new_error(
            message, "org.freedesktop.DBus.Error.UnknownObject", f"no object {message.path}"
        )

    def _adapter_call(self, message: Message) -> Message:
        sender = message.sender or ""
        if message.member == "StartDiscovery":
            if not self.powered:
                return Message.new_error(message, "org.bluez.Error.NotReady", "Resource Not Ready")
            self.scanning.add(sender)
            self._changed(ADAPTER_PATH, ADAPTER, {"Discovering": Variant("b", True)})
        elif message.member == "StopDiscovery":
            self.scanning.discard(sender)
        elif message.member == "RemoveDevice":
            device = next(
                (
                    one
                    for one in self.devices.values()
                    if one.path == message.body[0] and one.present
                ),
                None,
            )
            if device is None:
                return Message.new_error(message, "org.bluez.Error.DoesNotExist", "Does Not Exist")
            self._forget(device)
        return Message.new_method_return(message)

    def _forget(self, device: Device) -> None:
        """Its keys are gone too; it is an object again when it is next heard."""
        self.disconnect(device)
        device.paired = device.present = False
        self._removed(device.path, [DEVICE])

    def _device_call(self, device: Device, message: Message) -> Message | bool:
        if message.member == "Connect":
            if device.hangs:
                return True  # it is never answered
            asyncio.get_running_loop().create_task(self._connect(device, message))
            return True
        if message.member == "Disconnect":
            self.disconnect(device)
        elif message.member == "Pair":
            device.paired = True
            self._changed(device.path, DEVICE, {"Paired": Variant("b", True)})
        return Message.new_method_return(message)

    async def _connect(self, device: Device, message: Message) -> None:
        assert self._bus is not None
        if not device.present:
            await self._bus.send(
                Message.new_error(message, "org.bluez.Error.Failed", "le-connection-abort")
            )
            return
        device.connected = True
        self._changed(device.path, DEVICE, {"Connected": Variant("b", True)})
        for path, there in self._gatt(device).items():
            self._added(path, there)
        self._changed(device.path, DEVICE, {"ServicesResolved": Variant("b", True)})
        await self._bus.send(Message.new_method_return(message))
        device.connects += 1
        if device.drops:
            self.disconnect(device)

    def _characteristic_call(
        self, device: Device, characteristic: Characteristic, message: Message
    ) -> Message:
        if device.wants_pairing and not device.paired:
            return Message.new_error(message, "org.bluez.Error.NotAuthorized", "Not Authorized")
        flags = {"ReadValue": {"read"}, "WriteValue": {"write"}}
        wanted = flags.get(message.member or "", {"notify", "indicate"})
        if wanted.isdisjoint(characteristic.flags):
            return Message.new_error(message, "org.bluez.Error.NotSupported", "Not Supported")
        if message.member == "WriteValue" and device.writes_paired and not device.paired:
            # As BlueZ says what the node answers: insufficient authentication (0x05).
            return Message.new_error(message, "org.bluez.Error.NotPermitted", "Not paired")
        if message.member == "ReadValue":
            return Message.new_method_return(message, "ay", [characteristic.read()])
        if message.member == "WriteValue":
            characteristic.write(bytes(message.body[0]))
            characteristic.told = characteristic.read()  # who wrote it knows
        elif message.member == "StartNotify":
            # What is indicated was measured before, and kept until somebody takes it.
            kept = "notify" not in characteristic.flags
            characteristic.notifying = True
            characteristic.told = b"" if kept else characteristic.read()
        elif message.member == "StopNotify":
            characteristic.notifying = False
        return Message.new_method_return(message)

    def _changed(self, path: str, interface: str, values: dict[str, Variant]) -> None:
        self._signal(path, PROPERTIES, "PropertiesChanged", "sa{sv}as", [interface, values, []])

    def _added(self, path: str, there: Object) -> None:
        self._signal("/", OBJECTS, "InterfacesAdded", "oa{sa{sv}}", [path, there])

    def _removed(self, path: str, interfaces: list[str]) -> None:
        self._signal("/", OBJECTS, "InterfacesRemoved", "oas", [path, interfaces])

    def _signal(
        self, path: str, interface: str, member: str, signature: str, body: list[Any]
    ) -> None:
        if self._bus is not None:
            self._bus.send(Message.new_signal(path, interface, member, signature, body))
