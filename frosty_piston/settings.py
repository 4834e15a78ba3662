"""The settings of this program: each may be set in the environment, and on the command line where it has a
word there. `docs/running.md` lists them."""

from pathlib import Path
from typing import Annotated, Literal

from platformdirs import user_data_path
from pydantic import Field, ValidationError
from pydantic_settings import BaseSettings, SettingsConfigDict

from .core.errors import CannotStart

PREFIX = "PISTON_"
CHECKOUT = Path(__file__).resolve().parent.parent
LogLevel = Literal["debug", "info", "warning", "error"]


def is_checkout() -> bool:
    """Whether this is a checkout of the project, and not an installed package."""
    return (CHECKOUT / "piston").is_file() and (CHECKOUT / "pyproject.toml").is_file()


def data_folder() -> Path:
    return CHECKOUT / "data" if is_checkout() else user_data_path("frosty-piston", appauthor=False)


class Settings(BaseSettings):
    """What the environment says; a field without a word there has its default."""

    model_config = SettingsConfigDict(env_prefix=PREFIX, extra="ignore", env_ignore_empty=True)

    data: Annotated[Path, Field(description="folder in which workshops lie")] = data_folder()
    host: Annotated[str, Field(description="address to serve on")] = "127.0.0.1"
    port: Annotated[int, Field(ge=0, le=65535, description="port to serve on")] = 8420
    tls_cert: Annotated[Path | None, Field(description="certificate, where other machines can reach it")] = (
        None
    )
    tls_key: Annotated[Path | None, Field(description="key of the certificate")] = None
    log_level: Annotated[LogLevel, Field(description="how much is logged: debug, info, warning, error")] = (
        "info"
    )

    def workshop(self, name: str) -> Path:
        """The folder of a workshop by its name: `serve`, or `demo`."""
        return self.data / name


def settings() -> Settings:
    """Read the environment. Raises CannotStart with the name of the variable and what is allowed."""
    try:
        return Settings()
    except ValidationError as error:
        first = error.errors()[0]
        name = f"{PREFIX}{first['loc'][0]}".upper()
        raise CannotStart(f"{name}: {first['msg']}; it is {first['input']!r}.") from None
