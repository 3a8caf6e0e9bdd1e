package bargelane.sites.standin;

import static bargelane.sites.standin.StandinHttp.escape;

import bargelane.blocks.refit.FileEdit;
import bargelane.core.lane.Placement.PlacedNic;
import bargelane.core.net.Address;
import bargelane.core.site.Inventory.Ingress;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.sites.Compute;
import bargelane.sites.SiteException;
import com.fasterxml.jackson.databind.JsonNode;
import java.io.IOException;
import java.net.InetSocketAddress;
import java.net.Socket;
import java.net.SocketTimeoutException;
import java.nio.charset.StandardCharsets;
import java.util.Arrays;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/** Machines and networks of the simulated platforms. */
final class StandinCompute implements Compute {

  /** How long a connection from outside and its answer may take. */
  private static final int REACH_MS = 3_000;

  private static final int CLIENT_PORT = 50_000;

  private final StandinHttp http;

  StandinCompute(StandinHttp http) {
    this.http = http;
  }

  @Override
  public String define(Spec s) {
    Map<String, Object> body = new LinkedHashMap<>();
    body.put("name", s.name());
    body.put("owner", s.owner());
    body.put("size", s.size());
    body.put("cpus", s.cpus());
    body.put("memoryMib", s.memoryMib());
    body.put("os", s.os());
    body.put("firmware", s.firmware());
    body.put("zone", s.zone());
    body.put("disks", s.disks());
    body.put(
        "nics",
        s.nics().stream()
            .map((PlacedNic n) -> Map.of("network", n.network(), "address", n.address(), "mac", ""))
            .toList());
    body.put("ingress", s.ingress());
    body.put("labels", s.labels());
    body.put("licence", s.licence());
    body.put("project", s.project());
    body.put("identity", s.identity());
    body.put("bootProtection", s.bootProtection());
    return http.send("POST", "/v1/machines", body).path("id").asText();
  }

  @Override
  public MachineFacts machine(String id) {
    Map<String, JsonNode> volumes = new LinkedHashMap<>();
    return StandinDriver.machine(http.get("/v1/machines/" + escape(id)), volumes);
  }

  private void act(String id, String verb) {
    http.send("POST", "/v1/machines/" + escape(id) + "/" + verb, Map.of());
  }

  @Override
  public void start(String id) {
    act(id, "start");
  }

  @Override
  public void stop(String id) {
    act(id, "stop");
  }

  @Override
  public void fence(String id) {
    act(id, "fence");
  }

  @Override
  public void unfence(String id) {
    act(id, "unfence");
  }

  @Override
  public void remove(String id) {
    http.delete("/v1/machines/" + escape(id));
  }

  @Override
  public void attach(String id, List<String> disks) {
    http.send("PUT", "/v1/machines/" + escape(id) + "/disks", Map.of("disks", disks));
  }

  @Override
  public String refit(String name, String owner, List<String> disks, List<FileEdit> edits) {
    return http.send("POST", "/v1/refits", Map.of("volumes", disks, "edits", edits))
        .path("told")
        .asText();
  }

  @Override
  public void ownMachine(String id, String owner) {
    http.send("PUT", "/v1/machines/" + escape(id) + "/owner", Map.of("owner", owner));
  }

  @Override
  public WayIn wayIn(String id, int port) {
    JsonNode w = http.get("/v1/machines/" + escape(id) + "/way-in");
    return new WayIn(w.path("host").asText(), w.path("port").asInt(), true);
  }

  @Override
  public void letIn(String id, List<Ingress> rules) {
    http.send("PUT", "/v1/machines/" + escape(id) + "/ingress", Map.of("ingress", rules));
  }

  /** Through the platform's edge, by the PROXY protocol, version 1: its specification, 2.1. */
  @Override
  public Optional<Boolean> reached(String to, int port, String from) {
    JsonNode edge = http.get("/v1/edge");
    String ask =
        "PROXY TCP%d %s %s %d %d\r\nGET / HTTP/1.0\r\n\r\n"
            .formatted(Address.six(to) ? 6 : 4, from, to, CLIENT_PORT, port);
    try (Socket socket = new Socket()) {
      socket.setSoTimeout(REACH_MS);
      socket.connect(
          new InetSocketAddress(edge.path("host").asText(), edge.path("port").asInt()), REACH_MS);
      return Optional.of(answers(socket, ask));
    } catch (IOException e) {
      throw new SiteException(
          SiteException.Kind.MAY_PASS,
          "edge-unreachable",
          http.site() + ": a connection through its edge can't be tried: " + e.getMessage(),
          e);
    }
  }

  /** Whether a byte comes back: a connection that is shut out is closed or reset without one. */
  private static boolean answers(Socket socket, String ask) throws SocketTimeoutException {
    try {
      socket.getOutputStream().write(ask.getBytes(StandardCharsets.US_ASCII));
      return socket.getInputStream().read() >= 0;
    } catch (SocketTimeoutException e) {
      throw e; // An edge that says nothing at all tells nothing.
    } catch (IOException e) {
      return false;
    }
  }

  @Override
  public Optional<byte[]> console(String id, int most) {
    byte[] all =
        http.get("/v1/machines/" + escape(id) + "/console")
            .path("text")
            .asText()
            .getBytes(StandardCharsets.UTF_8);
    return Optional.of(Arrays.copyOfRange(all, Math.max(0, all.length - most), all.length));
  }

  @Override
  public String isolate(String network, String like, String owner) {
    return http.send("POST", "/v1/networks", Map.of("name", network, "like", like, "owner", owner))
        .path("id")
        .asText();
  }

  @Override
  public void removeNetwork(String id) {
    http.delete("/v1/networks/" + escape(id));
  }
}
