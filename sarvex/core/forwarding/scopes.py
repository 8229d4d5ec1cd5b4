"""Of which interfaces an entry of a device's lists speaks."""

from __future__ import annotations

from sarvex.core.model.records import Attachment, Interface, fold


def in_scope(scope: tuple[str, ...], interface: Interface | None) -> bool:
    """Whether one side of an attachment's scope speaks of an interface, by its name, its zone or `any`.

    interface: None for what a device sends itself, which entered by none: only `any` speaks of it.
    """
    wanted = {fold(name) for name in scope}
    if interface is None:
        return "any" in wanted
    return bool(wanted & {"any", fold(interface.name), fold(interface.zone or interface.name)})


def speaks_of(attachment: Attachment, entering: Interface | None, leaving: Interface | None) -> bool:
    """Whether a policy is consulted for what enters a device by one interface and leaves by another.

    leaving: None at the stages at which it is not known yet.
    """
    return in_scope(attachment.entering, entering) and (
        leaving is None or in_scope(attachment.leaving, leaving)
    )
