package bargelane.e2e;

import bargelane.blocks.BlockDevice;
import bargelane.blocks.BlockDevice.Context;
import bargelane.blocks.BlockDevice.Extent;
import bargelane.blocks.BlockDigest;
import bargelane.blocks.DigestVolume;
import bargelane.blocks.nbd.NbdAddress;
import bargelane.blocks.nbd.NbdClient;
import bargelane.client.ApiClient;
import bargelane.sites.Target;
import bargelane.sites.standin.StandinDriver;
import bargelane.standins.guest.Ring;
import bargelane.standins.guest.Ring.Entry;
import com.fasterxml.jackson.databind.JsonNode;
import java.io.IOException;
import java.net.URI;
import java.net.http.HttpClient;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse;
import java.nio.ByteBuffer;
import java.security.MessageDigest;
import java.security.NoSuchAlgorithmException;
import java.time.Clock;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.HashMap;
import java.util.HexFormat;
import java.util.List;
import java.util.Map;

/**
 * A simulated platform looked at directly, past the service: what is on its disks, what was left on
 * it, its faults.
 */
public final class Platform {

  private static final HttpClient HTTP =
      HttpClient.newBuilder().version(HttpClient.Version.HTTP_1_1).build();

  private final String address;
  private final String token;
  private final StandinDriver driver;

  public Platform(String address, String token) {
    this.address = address;
    this.token = token;
    this.driver = new StandinDriver("direct", URI.create(address), token, Clock.systemUTC());
  }

  public String address() {
    return address;
  }

  public String token() {
    return token;
  }

  public StandinDriver driver() {
    return driver;
  }

  /** Sends a request to the control interface. */
  public JsonNode call(String method, String path, Object body) throws IOException {
    try {
      HttpRequest request =
          HttpRequest.newBuilder(URI.create(address + path))
              .header("Authorization", "Bearer " + token)
              .method(
                  method,
                  body == null
                      ? HttpRequest.BodyPublishers.noBody()
                      : HttpRequest.BodyPublishers.ofByteArray(
                          ApiClient.JSON.writeValueAsBytes(body)))
              .build();
      HttpResponse<byte[]> r = HTTP.send(request, HttpResponse.BodyHandlers.ofByteArray());
      if (r.statusCode() >= 300) {
        throw new IOException(
            method
                + " "
                + path
                + ": "
                + new String(r.body(), java.nio.charset.StandardCharsets.UTF_8));
      }
      return r.body().length == 0 ? ApiClient.JSON.nullNode() : ApiClient.JSON.readTree(r.body());
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new IOException(e);
    }
  }

  /** Sets the troubles in force. */
  public void faults(
      long scratchBytes, long capacityBytes, long readDelayMs, long cutAfterBytes, String failStart)
      throws IOException {
    call(
        "PUT",
        "/v1/faults",
        faults(scratchBytes, capacityBytes, readDelayMs, cutAfterBytes, failStart, false));
  }

  /** Has the guests of machines whose name begins so panic when they start; empty for none. */
  public void panics(String machine) throws IOException {
    Map<String, Object> faults = new HashMap<>(faults(-1, -1, 0, -1, "", false));
    faults.put("panics", machine);
    call("PUT", "/v1/faults", faults);
  }

  /** Lets nobody from outside through to machines whose name begins so, whatever their rules. */
  public void shut(String machine) throws IOException {
    Map<String, Object> faults = new HashMap<>(faults(-1, -1, 0, -1, "", false));
    faults.put("shut", machine);
    call("PUT", "/v1/faults", faults);
  }

  /** Whether a connection from outside gets through to a machine. */
  public boolean reached(String machine, int port, String from) throws IOException {
    String to = machine(machine).path("nics").path(0).path("address").asText();
    return driver.compute().reached(to, port, from).orElseThrow();
  }

  /** Offers a size no more. */
  public void withdraw(String size) throws IOException {
    Map<String, Object> faults = new HashMap<>(faults(-1, -1, 0, -1, "", false));
    faults.put("withdrawn", size);
    call("PUT", "/v1/faults", faults);
  }

  private static Map<String, Object> faults(
      long scratchBytes,
      long capacityBytes,
      long readDelayMs,
      long cutAfterBytes,
      String failStart,
      boolean loseUnflushed) {
    return Map.of(
        "scratchBytes",
        scratchBytes,
        "capacityBytes",
        capacityBytes,
        "readDelayMs",
        readDelayMs,
        "cutAfterBytes",
        cutAfterBytes,
        "failStart",
        failStart,
        "loseUnflushed",
        loseUnflushed);
  }

  /**
   * How many blocks of 64 KiB that hold data in a volume differ from another's at another platform;
   * both may be written to meanwhile.
   */
  public int differing(String volume, Platform elsewhere, String other) throws IOException {
    try (BlockDevice a = open(volume, false);
        BlockDevice b = elsewhere.open(other, false)) {
      ByteBuffer left = ByteBuffer.allocate(BlockDigest.BLOCK);
      ByteBuffer right = ByteBuffer.allocate(BlockDigest.BLOCK);
      int differ = 0;
      for (Extent e : a.status(Context.ALLOCATION, 0, a.size())) {
        long end = e.offset() + e.length();
        for (long at = e.offset(); e.set() && at < end; at += BlockDigest.BLOCK) {
          int n = (int) Math.min(BlockDigest.BLOCK, end - at);
          a.read(at, left.clear().limit(n));
          b.read(at, right.clear().limit(n));
          differ += left.flip().equals(right.flip()) ? 0 : 1;
        }
      }
      return differ;
    } finally {
      closeLook(volume);
      elsewhere.closeLook(other);
    }
  }

  /** The next writes through exports store a wrong bit each. */
  public void wrongWrites(int count) throws IOException {
    Map<String, Object> faults = new HashMap<>(faults(-1, -1, 0, -1, "", false));
    faults.put("wrongWrites", count);
    call("PUT", "/v1/faults", faults);
  }

  /** From now on a kill loses what was written and not flushed, and reads take their time. */
  public void loseUnflushed(long readDelayMs) throws IOException {
    call("PUT", "/v1/faults", faults(-1, -1, readDelayMs, -1, "", true));
  }

  public void noFaults() throws IOException {
    faults(-1, -1, 0, -1, "");
  }

  /** The machine of a name. */
  public JsonNode machine(String name) throws IOException {
    for (JsonNode m : call("GET", "/v1/inventory", null).path("machines")) {
      if (m.path("name").asText().equals(name)) {
        return m;
      }
    }
    throw new IOException("there is no machine " + name + " at " + address);
  }

  public boolean runs(String name) throws IOException {
    return machine(name).path("on").asBoolean();
  }

  /** Volumes of a machine in boot order. */
  public List<String> disks(String name) throws IOException {
    List<String> disks = new ArrayList<>();
    machine(name).path("disks").forEach(d -> disks.add(d.asText()));
    return disks;
  }

  /** Writes that guests saw failing. */
  public long writeFailures(String name) throws IOException {
    return call("GET", "/v1/machines/" + machine(name).path("id").asText() + "/usage", null)
        .path("writeFailures")
        .asLong();
  }

  /** Opens a volume as it is now; the export ends with the device. */
  public BlockDevice open(String volume, boolean write) throws IOException {
    String name = "look-" + volume + (write ? "-w" : "");
    JsonNode given =
        call(
            "POST",
            "/v1/exports",
            Map.of("name", name, "volume", volume, "snapshot", "", "since", "", "write", write));
    return NbdClient.connect(NbdAddress.parse(given.path("uri").asText()));
  }

  public void closeLook(String volume) throws IOException {
    call("DELETE", "/v1/exports/look-" + volume, null);
    call("DELETE", "/v1/exports/look-" + volume + "-w", null);
  }

  /** The records on one disk of a machine. */
  public List<Entry> ring(String volume) throws IOException {
    try (BlockDevice disk = open(volume, false)) {
      return Ring.open(disk).read();
    } finally {
      closeLook(volume);
    }
  }

  /** The keys that the digests which lie here are made with. */
  public List<BlockDigest> digestKeys() throws IOException {
    List<BlockDigest> keys = new ArrayList<>();
    for (Target.Owned o : driver.target().owned("bargelane/")) {
      if (o.kind().equals("volume") && o.name().endsWith("-digests")) {
        try (BlockDevice digests = open(o.name(), false)) {
          keys.add(DigestVolume.open(digests).by());
        } finally {
          closeLook(o.name());
        }
      }
    }
    return keys;
  }

  /** A digest of a whole volume, to be compared with others that are made by this. */
  public String digest(String volume) throws IOException {
    return digest(volume, new BlockDigest(0));
  }

  /**
   * The root digest of a whole volume, reckoned from its bytes as docs/formats/digests.md has it;
   * what is known to read as zero is not read.
   */
  public String digest(String volume, BlockDigest by) throws IOException {
    try (BlockDevice disk = open(volume, false)) {
      MessageDigest root = MessageDigest.getInstance("SHA-256");
      root.update(ByteBuffer.allocate(16).putLong(disk.size()).putLong(by.key()).flip());
      for (long at = 0; at < disk.size(); at += DigestVolume.GROUP) {
        root.update(group(disk, at, Math.min(disk.size(), at + DigestVolume.GROUP), by));
      }
      return HexFormat.of().formatHex(root.digest());
    } catch (NoSuchAlgorithmException e) {
      throw new IllegalStateException("every Java platform has SHA-256", e);
    } finally {
      closeLook(volume);
    }
  }

  /** The digest of 4 GiB: over 256 digests of 256 digests of 64 KiB each; zeroes for zeroes. */
  private static byte[] group(BlockDevice disk, long start, long end, BlockDigest by)
      throws IOException, NoSuchAlgorithmException {
    byte[][] leaves = new byte[256][4096];
    ByteBuffer block = ByteBuffer.allocate(BlockDigest.BLOCK);
    for (Extent e : disk.status(Context.ALLOCATION, start, end - start)) {
      long stop = e.set() ? e.offset() + e.length() : 0;
      for (long at = e.offset() / BlockDigest.BLOCK * BlockDigest.BLOCK;
          at < stop;
          at += BlockDigest.BLOCK) {
        block.clear().limit((int) Math.min(BlockDigest.BLOCK, disk.size() - at));
        disk.read(at, block);
        int n = (int) ((at - start) / BlockDigest.BLOCK);
        System.arraycopy(by.of(block.flip())[0], 0, leaves[n / 256], n % 256 * 16, 16);
      }
    }
    byte[] branch = new byte[4096];
    for (int i = 0; i < 256; i++) {
      System.arraycopy(over(leaves[i]), 0, branch, i * 16, 16);
    }
    return over(branch);
  }

  private static byte[] over(byte[] unit) throws NoSuchAlgorithmException {
    return Arrays.equals(unit, new byte[4096])
        ? new byte[16]
        : Arrays.copyOf(MessageDigest.getInstance("SHA-256").digest(unit), 16);
  }

  /** What carries a tag of ours, but for fences. */
  public List<String> ours() {
    return driver.target().owned("bargelane/").stream()
        .filter(o -> !o.kind().equals("fence"))
        .map(o -> o.kind() + " " + o.name())
        .toList();
  }
}
