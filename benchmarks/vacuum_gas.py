"""`vacuum.steady` beside a general gas-network solver, pandapipes, on dry level networks. `./zucker bench vacuum_gas`.

Same gas, same friction: the solver's own friction laws differ from Churchill's, so that one is put in its place. At a tenth
of an atmosphere its iteration runs away; an isothermal ideal gas does not care when pressures, flows and viscosity are all
multiplied by the same number (Reynolds numbers stay, and both sides of `p1² − p2² = c f(Re) m²` grow by its square), so it is
asked at a hundred times the pressure and its answer divided.
"""

from __future__ import annotations

import statistics
import time
import warnings
from typing import Any

import numpy as np
from zucker_core import vacuum
from zucker_core.units import PA_PER_INHG

SCALE = 100.0
GAS_CONSTANT, KELVIN, VISCOSITY = 287.05, 276.15, 1.73e-5
ATMOSPHERE_BAR = 1.01325
ROUNDS = 9
BATCH = 1000


def bush(conductors: int, branches: int, saddles: int) -> vacuum.Network:
    """Level, so that the two differ in nothing but their arithmetic."""
    nodes, lines = [vacuum.Node("P", "pump", pump=vacuum.HeldPressure(12_000.0))], []

    def pipe(kind: str, below: str, above: str, point: str, diameter_m: float, length_m: float, taps: int = 0) -> None:
        nodes.append(vacuum.Node(above, point))
        lines.append(vacuum.Line(f"to {above}", kind, below, above, diameter_m, length_m, taps=taps))

    for c in range(conductors):
        below = "P"
        for j in range(branches):
            pipe("conductor", below, f"C{c}.{j}", "junction", 0.05, 60.0)
            below = at = f"C{c}.{j}"
            for k in range(saddles):
                saddle = f"{below}-{k}"
                pipe("mainline", at, saddle, "saddle", 0.0254, 20.0)
                pipe("lateral", saddle, f"{saddle}e", "end", 0.0076, 40.0, taps=8)
                at = saddle
    return vacuum.Network(nodes, lines)


def churchill(m: Any, eta: Any, d: Any, k: Any, gas_mode: Any, friction_model: Any, lengths: Any, options: Any, area: Any) -> Any:
    """The solver's own hook for friction, with Churchill (1977)."""
    re = np.maximum(np.abs(m) * d / (area * eta), 1e-3)
    a = (2.457 * np.log(1 / ((7 / re) ** 0.9 + 0.27 * k / d))) ** 16
    b = (37_530 / re) ** 16
    return 8 * ((8 / re) ** 12 + 1 / (a + b) ** 1.5) ** (1 / 12), re


def theirs(network: vacuum.Network, pump_pa: float, leak_kg_s: np.ndarray) -> tuple[np.ndarray, float]:
    """Pressures (Pa) by the solver, and its seconds."""
    import pandapipes as pipes
    from pandapipes.properties.fluids import Fluid, FluidPropertyConstant

    facts = {
        "density": 101_325 / (GAS_CONSTANT * 273.15), "viscosity": VISCOSITY * SCALE, "heat_capacity": 1005.0,
        "molar_mass": 8314.462 / GAS_CONSTANT, "compressibility": 1.0, "der_compressibility": 0.0}
    net = pipes.create_empty_network(fluid=Fluid("air", "gas", **{n: FluidPropertyConstant(v) for n, v in facts.items()}))
    at = [pipes.create_junction(net, 12.0, KELVIN) for _ in range(len(network))]
    pipes.create_ext_grid(net, at[0], p_bar=pump_pa * SCALE / 1e5 - ATMOSPHERE_BAR, t_k=KELVIN)
    for i in range(1, len(network)):
        pipes.create_pipe_from_parameters(net, at[int(network.parent[i])], at[i], length_km=network.length_m[i] * 1.10 / 1e3,
                                          diameter_m=network.diameter_m[i], k_mm=7e-3)
    for i in np.flatnonzero(leak_kg_s):
        pipes.create_source(net, at[int(i)], mdot_kg_per_s=float(leak_kg_s[i]) * SCALE)
    took = []
    for _ in range(3):
        begun = time.perf_counter()
        pipes.pipeflow(net, friction_model="nikuradse", iter=200, tol_p=1e-9, tol_m=1e-9, use_numba=False)
        took.append(time.perf_counter() - begun)
    return (net.res_junction.p_bar.to_numpy() + ATMOSPHERE_BAR) * 1e5 / SCALE, statistics.median(took)


def main() -> None:
    warnings.filterwarnings("ignore")
    import pandapipes.pf.derivative_calculation as friction

    friction.calc_lambda = churchill
    print("nodes, largest difference, fall in the network, solver, steady and their ratio, each of a batch and its ratio")
    for shape in ((1, 2, 6), (2, 6, 18), (4, 12, 21)):
        network = bush(*shape)
        leaks = np.zeros(len(network))
        leaks[network.index["C0.1-3"]] = 1.0
        state = vacuum.steady(network, leaks)
        pressure, solver_s = theirs(network, float(state.pressure_pa[0]), state.leak_kg_s)
        ours_s = statistics.median(_timed(network, leaks) for _ in range(ROUNDS))
        batch_s = _timed(network, np.tile(leaks, (BATCH, 1))) / BATCH
        differs = np.abs(pressure - state.pressure_pa).max() / PA_PER_INHG
        falls = (state.pressure_pa.max() - state.pressure_pa[0]) / PA_PER_INHG
        print(f"{len(network):6} {differs:9.1e} inHg of {falls:.2f}, {1e3 * solver_s:6.1f} ms, {1e3 * ours_s:6.2f} ms,"
              f" {solver_s / ours_s:5.0f}, {1e3 * batch_s:6.3f} ms, {solver_s / batch_s:5.0f}", flush=True)


def _timed(network: vacuum.Network, leaks: np.ndarray) -> float:
    begun = time.perf_counter()
    vacuum.steady(network, leaks)
    return time.perf_counter() - begun


if __name__ == "__main__":
    main()
