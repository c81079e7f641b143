"""One module a page; each has its folder of templates under the same name."""

from brook.web.routes import (
    api,
    api_aims,
    api_shapes,
    board,
    calculators,
    compare,
    compiling,
    desk,
    edit,
    evidence,
    exports,
    find,
    flights,
    geometry,
    history,
    library,
    live,
    mesh,
    orders,
    people,
    plots,
    readout,
    report,
    results,
    room,
    run,
    scene,
    set_up,
    shapes,
    shelf,
    sure,
    sweeps,
    views,
)

ROUTERS = [
    m.router
    for m in (shelf, desk, evidence, calculators, library, board, history, geometry, shapes, mesh, set_up, run, results, compare, sure, sweeps, report, edit, live, views, exports, readout, scene, plots, flights, orders, find, compiling, room, people)
]  # fmt: skip

API = (api.router, api_aims.router, api_shapes.router, desk.api, compiling.api, room.api)
