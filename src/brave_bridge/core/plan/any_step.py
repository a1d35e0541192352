"""All kinds of steps that a leg's plan may have."""

from brave_bridge.core.plan.exchange_steps import (
    ComponentsStep,
    EditionStep,
    ImageStep,
    KernelStep,
    MediumStep,
)
from brave_bridge.core.plan.steps import ConfigsStep, PackagesStep, RestartStep, SourcesStep

AnyStep = (
    SourcesStep
    | PackagesStep
    | ConfigsStep
    | ImageStep
    | ComponentsStep
    | EditionStep
    | MediumStep
    | KernelStep
    | RestartStep
)
