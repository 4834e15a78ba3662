"""A property that is worked out once for each object, without a lock that other objects share."""

from collections.abc import Callable
from typing import Any, Generic, Self, TypeVar, overload

Value = TypeVar("Value")


class cached_property(Generic[Value]):
    """Keep what a method without arguments returns under its name in the object's `__dict__`.

    Two threads that ask at the same moment may both work it out; both get the value that was ready first. For
    values that never change.

    >>> class Circle:
    ...     radius_mm = 10.0
    ...
    ...     @cached_property
    ...     def diameter_mm(self):
    ...         print("worked out")
    ...         return 2 * self.radius_mm
    >>> circle = Circle()
    >>> circle.diameter_mm, circle.diameter_mm
    worked out
    (20.0, 20.0)
    """

    # Python 3.11's own holds one lock per property for all objects of the class: two threads that take two
    # properties of two objects in opposite orders wait for each other for ever.
    def __init__(self, method: Callable[[Any], Value]):
        self._method = method
        self._name = ""
        self.__doc__ = method.__doc__

    def __set_name__(self, owner: type, name: str) -> None:
        self._name = name

    @overload
    def __get__(self, instance: None, owner: type | None = None) -> Self: ...

    @overload
    def __get__(self, instance: object, owner: type | None = None) -> Value: ...

    def __get__(self, instance: object | None, owner: type | None = None) -> Self | Value:
        if instance is None:
            return self
        kept: Value = instance.__dict__.setdefault(self._name, self._method(instance))
        return kept
