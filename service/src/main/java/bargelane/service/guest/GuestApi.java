package bargelane.service.guest;

import bargelane.api.AgentKeyAsk;
import bargelane.api.AgentKeyView;
import bargelane.api.AgentView;
import bargelane.api.ImportResult;
import bargelane.api.ServerEdit;
import bargelane.api.ServerKeys;
import bargelane.api.ServerView;
import bargelane.api.ServersAdd;
import bargelane.api.ServersTrusted;
import bargelane.core.account.Need;
import bargelane.service.http.Endpoints;

/** Endpoints of servers that are read over SSH, and of agents. */
public record GuestApi(Servers servers, Agents agents, AgentListener listener)
    implements Endpoints.Room {

  @Override
  public void add(Endpoints e) {
    e.get("/sites/{site}/servers", "Servers of a site, those with a problem first", Need.READ)
        .paged()
        .pages(
            ServerView.class,
            r -> servers.list(r.path("site"), r.number("page"), r.number("size")));
    e.post(
            "/sites/{site}/servers",
            "Add servers to a site: all of them or, if one is wrong, none",
            Need.KEEP)
        .longest(Endpoints.LIST_BODY)
        .heavy()
        .takes(ServersAdd.class)
        .gives(ImportResult.class, (r, b) -> servers.add(r.path("site"), b, r.by()));
    e.put(
            "/sites/{site}/servers",
            "Approve the host keys of servers, by a list or a file",
            Need.KEEP)
        .longest(Endpoints.LIST_BODY)
        .heavy()
        .changes(r -> servers.keys(r.path("site")))
        .takes(ServerKeys.class)
        .gives(ServersTrusted.class, (r, b) -> servers.trust(r.path("site"), b, r.by()));
    e.put("/sites/{site}/servers/{server}", "Say which host keys a server may have", Need.KEEP)
        .changes(r -> servers.view(r.path("site"), r.path("server")))
        .takes(ServerEdit.class)
        .gives(
            ServerView.class,
            (r, b) -> servers.trust(r.path("site"), r.path("server"), b.hostKey(), r.by()));
    e.delete("/sites/{site}/servers/{server}", "Take a server from a site", Need.KEEP)
        .changes(r -> servers.view(r.path("site"), r.path("server")))
        .does(r -> servers.remove(r.path("site"), r.path("server"), r.by()));
    e.get("/sites/{site}/agents", "Agents of a site, the silent ones first", Need.READ)
        .lists(AgentView.class, r -> agents.list(r.path("site")));
    e.post("/sites/{site}/agents/keys", "Make a key that lets one agent enrol, once", Need.KEEP)
        .secret()
        .takes(AgentKeyAsk.class)
        .creates(
            AgentKeyView.class, (r, b) -> agents.key(r.path("site"), b, listener::line, r.by()));
    e.post(
            "/sites/{site}/agents/{agent}/approval",
            "Let an agent take the place of the one that its machine had before",
            Need.KEEP)
        .does(r -> agents.approve(r.path("site"), r.path("agent"), r.by()));
    e.delete("/sites/{site}/agents/{agent}", "Take an agent from a site", Need.KEEP)
        .changes(r -> agents.view(r.path("site"), r.path("agent")))
        .does(r -> agents.remove(r.path("site"), r.path("agent"), r.by()));
  }
}
