"""All places of work, in the order of the work."""

from brave_bridge.tui.workspaces.configs import ConfigsWorkspace
from brave_bridge.tui.workspaces.crossing import CrossingWorkspace
from brave_bridge.tui.workspaces.fleet import FleetWorkspace
from brave_bridge.tui.workspaces.kernels import KernelsWorkspace
from brave_bridge.tui.workspaces.logbook import LogbookWorkspace
from brave_bridge.tui.workspaces.plan import PlanWorkspace
from brave_bridge.tui.workspaces.proof import ProofWorkspace
from brave_bridge.tui.workspaces.route import RouteWorkspace
from brave_bridge.tui.workspaces.survey import SurveyWorkspace
from brave_bridge.tui.workspaces.ways_back import WaysBackWorkspace

WORKSPACES = (
    FleetWorkspace,
    SurveyWorkspace,
    RouteWorkspace,
    PlanWorkspace,
    CrossingWorkspace,
    ProofWorkspace,
    WaysBackWorkspace,
    KernelsWorkspace,
    ConfigsWorkspace,
    LogbookWorkspace,
)
TABS = tuple((w.KEY, w.NAME, w.WORDS) for w in WORKSPACES)
