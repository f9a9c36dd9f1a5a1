"""The stages: one folder each, with its record, and one line here, in the order in which they are shown."""

from northfell.web.shell.stage import enter
from northfell.web.stages.arc_flash import ARC_FLASH_STAGE
from northfell.web.stages.coordination import COORDINATION_STAGE
from northfell.web.stages.faults import FAULTS_STAGE
from northfell.web.stages.flow import FLOW_STAGE
from northfell.web.stages.network import NETWORK_STAGE
from northfell.web.stages.phase_faults import PHASE_FAULTS_STAGE
from northfell.web.stages.phases import PHASES_STAGE
from northfell.web.stages.sizing import SIZING_STAGE

for _stage in (NETWORK_STAGE, FLOW_STAGE, PHASES_STAGE, FAULTS_STAGE, PHASE_FAULTS_STAGE, COORDINATION_STAGE, ARC_FLASH_STAGE, SIZING_STAGE):
    enter(_stage)
