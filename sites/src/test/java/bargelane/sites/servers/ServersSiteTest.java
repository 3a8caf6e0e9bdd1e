package bargelane.sites.servers;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;
import static org.junit.jupiter.api.Assumptions.assumeTrue;

import bargelane.core.finding.Action;
import bargelane.core.finding.Finding;
import bargelane.core.finding.Finding.Code;
import bargelane.core.guest.Survey;
import bargelane.core.net.Destinations;
import bargelane.core.site.Inventory.Usage;
import bargelane.core.site.SiteKind;
import bargelane.sites.Drivers;
import bargelane.sites.ServerAccess;
import bargelane.sites.SiteAccess;
import bargelane.sites.SiteCredential;
import bargelane.sites.SiteCredential.Type;
import bargelane.sites.SiteDriver;
import bargelane.sites.SiteException;
import bargelane.sites.Surveys.Reading;
import bargelane.standins.host.SshServer;
import java.io.IOException;
import java.io.OutputStream;
import java.net.InetAddress;
import java.net.NetworkInterface;
import java.net.ServerSocket;
import java.nio.charset.StandardCharsets;
import java.nio.file.Path;
import java.time.Clock;
import java.time.Duration;
import java.time.Instant;
import java.time.ZoneOffset;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.TreeMap;
import java.util.concurrent.CopyOnWriteArrayList;
import java.util.function.Consumer;
import org.apache.sshd.server.keyprovider.SimpleGeneratorHostKeyProvider;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

/**
 * Servers read over SSH: Debian's own server on loopback, and a made-up one that tells anything.
 */
class ServersSiteTest {

  private static final Destinations ANYWHERE = new Destinations(List.of(Destinations.ANY));

  @TempDir static Path dir;
  private static SshServer server;

  @BeforeAll
  static void start() throws IOException {
    server = SshServer.start();
  }

  @AfterAll
  static void stop() throws IOException {
    server.close();
  }

  private static SiteCredential key() throws IOException {
    return new SiteCredential("key", Type.KEY, server.account(), server.key(), ANYWHERE);
  }

  private static SiteCredential password(String name, String secret) {
    return new SiteCredential(name, Type.PASSWORD, server.account(), secret, ANYWHERE);
  }

  private static ServerAccess at(int port, String hostKey) {
    return new ServerAccess("srv-1", "127.0.0.1", port, hostKey, "");
  }

  private static SiteDriver site(ServerAccess to, SiteCredential... credentials) {
    return Drivers.open(
        new SiteAccess(SiteKind.SERVERS, "annex", "", List.of(credentials), List.of(to)),
        Clock.systemUTC());
  }

  private static Reading read(SiteDriver site) {
    List<Reading> all = new ArrayList<>();
    site.surveys().orElseThrow().read(all::add);
    assertEquals(1, all.size());
    return all.get(0);
  }

  private static String command(String... words) throws IOException {
    Process p = new ProcessBuilder(words).start();
    return new String(p.getInputStream().readAllBytes(), StandardCharsets.UTF_8).strip();
  }

  @Test
  void factsAreWhatTheSystemsOwnCommandsTell() throws IOException {
    Reading reading = read(site(at(server.port(), server.fingerprint()), key()));
    Survey s = reading.survey().orElseThrow(() -> new AssertionError(reading.trouble()));
    assertEquals(server.fingerprint(), reading.hostKey());
    assertEquals("key", reading.credential());
    assertEquals(server.account(), s.account());
    assertEquals(command("uname", "-n"), s.hostname());
    assertEquals(command("uname", "-r"), s.kernel());
    assertEquals(command("sh", "-c", ". /etc/os-release; echo $PRETTY_NAME"), s.os());
    assertEquals(command("getconf", "_NPROCESSORS_ONLN"), String.valueOf(s.cpus()));
    assertEquals(
        command("sh", "-c", "free -b | awk '/^Mem/{print $2}'"), String.valueOf(s.memoryBytes()));
    assertEquals(command("sh", "-c", "dpkg -l | grep -c ^ii"), String.valueOf(s.packages().size()));
    Map<String, String> disks = new TreeMap<>();
    for (String line : command("lsblk", "-bdnro", "NAME,SIZE").lines().toList()) {
      if (!line.matches("(loop|ram|zram|sr|fd|nbd).*")) {
        disks.put(line.split(" ")[0], line.split(" ")[1]);
      }
    }
    Map<String, String> told = new TreeMap<>();
    s.devices().stream()
        .filter(d -> d.parents().isEmpty())
        .forEach(d -> told.put(d.name(), String.valueOf(d.bytes())));
    assertEquals(disks, told);
    List<String> cards =
        NetworkInterface.networkInterfaces()
            .map(NetworkInterface::getName)
            .filter(n -> !n.equals("lo"))
            .sorted()
            .toList();
    assertTrue(
        s.cards().stream().map(Survey.Card::name).toList().containsAll(cards), s.cards() + "");
    assertTrue(
        s.listeners().stream()
            .anyMatch(l -> l.port() == server.port() && l.address().equals("127.0.0.1")),
        s.listeners() + "");
    Usage used = s.counters();
    assertTrue(used.cpuSeconds().orElse(0) > 0 && used.memoryBytes().orElse(0) > 0);
  }

  @Test
  void whatAnOrdinaryAccountMayNotReadIsSaidAndTheRestIsRead() throws IOException {
    assumeTrue(server.takesPassword(), "only root can make an account for it");
    List<Finding> found = site(at(server.port(), server.fingerprint()), key()).check();
    assertTrue(
        found.stream()
            .anyMatch(
                f ->
                    f.code() == Code.SERVER_FACT_UNREAD
                        && !f.blocks()
                        && f.cause().contains("'owners' can't be read as scout")),
        found + "");
    assertTrue(found.stream().noneMatch(Finding::blocks), found + "");
  }

  @Test
  void credentialsAreTriedInTheirOrderUntilOneLetsUsIn() throws IOException {
    assumeTrue(server.takesPassword(), "only root can make an account for it");
    Reading reading =
        read(
            site(
                at(server.port(), server.fingerprint()),
                password("old", "not it"),
                password("new", SshServer.PASSWORD)));
    assertEquals("new", reading.credential(), reading.trouble() + "");
    Reading none = read(site(at(server.port(), server.fingerprint()), password("old", "not it")));
    assertEquals(Code.SITE_TOKEN_REFUSED, none.trouble().orElseThrow().code());
    assertTrue(none.trouble().get().cause().contains("old"), none + "");
    assertFalse(none.toString().contains("not it"), "a secret is told");
  }

  @Test
  void nothingIsOfferedToAServerWhoseHostKeyNobodyApproved() throws IOException {
    List<String> offered = new CopyOnWriteArrayList<>();
    org.apache.sshd.server.SshServer made =
        telling("nothing\n".getBytes(StandardCharsets.UTF_8), false, offered::add);
    try {
      SiteCredential[] all = {password("one", "made-up-1"), password("two", "made-up-2"), key()};
      Reading unknown = read(site(at(made.getPort(), ""), all));
      Finding f = unknown.trouble().orElseThrow();
      assertEquals(Code.SERVER_KEY_UNKNOWN, f.code());
      assertEquals(
          List.of("annex", "127.0.0.1:" + made.getPort(), unknown.hostKey()),
          f.remedy().arguments());
      assertEquals(List.of(), offered);
      // Approved: keys come before passwords, which the other side gets to see.
      read(site(at(made.getPort(), unknown.hostKey()), all));
      assertEquals("a key", offered.get(0));
      assertEquals("made-up-1", offered.get(offered.size() - 1));
      offered.clear();
      // The one that let us in is the only one from then on.
      read(
          site(
              new ServerAccess("srv-1", "127.0.0.1", made.getPort(), unknown.hostKey(), "two"),
              all));
      assertEquals(List.of("made-up-2"), offered);
    } finally {
      made.stop(true);
    }
  }

  @Test
  void aSecretIsNotOfferedToAServerThatItWasNotStoredFor() throws IOException {
    List<String> offered = new CopyOnWriteArrayList<>();
    org.apache.sshd.server.SshServer made =
        telling("nothing\n".getBytes(StandardCharsets.UTF_8), false, offered::add);
    try {
      String hostKey = read(site(at(made.getPort(), ""), key())).hostKey();
      SiteCredential elsewhere =
          new SiteCredential(
              "elsewhere",
              Type.PASSWORD,
              server.account(),
              "made-up-1",
              new Destinations(List.of("10.20.0.0/16", "127.0.0.1:22")));
      Reading none = read(site(at(made.getPort(), hostKey), elsewhere));
      Finding f = none.trouble().orElseThrow();
      assertEquals(Code.CREDENTIAL_NOT_FOR_SERVER, f.code());
      assertTrue(f.cause().contains("elsewhere goes to 10.20.0.0/16, 127.0.0.1:22"), f.cause());
      assertEquals(List.of("elsewhere"), f.remedy().arguments());
      assertEquals("", none.hostKey(), "it is not even called");
      // Of several those are tried that may be, also where another let us in before.
      read(
          site(
              new ServerAccess("srv-1", "127.0.0.1", made.getPort(), hostKey, "elsewhere"),
              elsewhere,
              password("here", "made-up-2")));
      assertEquals(List.of("made-up-2"), offered);
    } finally {
      made.stop(true);
    }
  }

  @Test
  void whereTheCredentialOfBeforeIsRefusedNoOtherIsOffered() throws IOException {
    Reading refused =
        read(
            site(
                new ServerAccess("srv-1", "127.0.0.1", server.port(), server.fingerprint(), "old"),
                password("old", "not it"),
                key()));
    Finding f = refused.trouble().orElseThrow();
    assertEquals(Code.SITE_TOKEN_REFUSED, f.code());
    assertTrue(f.cause().contains("old, which let us in before, is refused"), f.cause());
    assertEquals("", refused.credential());
  }

  @Test
  void anotherHostKeyIsNotTalkedTo() throws IOException {
    try (SshServer other = SshServer.start()) {
      SiteCredential key =
          new SiteCredential("key", Type.KEY, other.account(), other.key(), ANYWHERE);
      String known = other.fingerprint();
      assertTrue(read(site(at(other.port(), known), key)).survey().isPresent());
      other.setUpAnew();
      Finding f = read(site(at(other.port(), known), key)).trouble().orElseThrow();
      assertEquals(Code.SERVER_KEY_CHANGED, f.code());
      assertTrue(f.cause().contains(other.fingerprint()) && f.cause().contains(known), f + "");
      assertTrue(
          f.remedy().action().equals(Optional.of(Action.SERVER_TRUST))
              && f.remedy().arguments().get(1).equals("127.0.0.1:" + other.port()),
          f + "");
    }
  }

  @Test
  void whoIsNotThereIsSaidAtOnceAndTheOthersAreRead() throws IOException {
    int closed;
    try (ServerSocket probe = new ServerSocket(0, 1, InetAddress.getLoopbackAddress())) {
      closed = probe.getLocalPort();
    }
    SiteDriver both =
        Drivers.open(
            new SiteAccess(
                SiteKind.SERVERS,
                "annex",
                "",
                List.of(key()),
                List.of(
                    new ServerAccess("a", "127.0.0.1", closed, "", ""),
                    new ServerAccess("b", "127.0.0.1", server.port(), server.fingerprint(), ""))),
            Clock.systemUTC());
    Map<String, Reading> read = new TreeMap<>();
    both.surveys().orElseThrow().read(r -> read.put(r.server().id(), r));
    assertEquals(Code.SITE_UNREACHABLE, read.get("a").trouble().orElseThrow().code());
    assertTrue(read.get("b").survey().isPresent());
    List<String> looked = new ArrayList<>();
    both.surveys()
        .orElseThrow()
        .look(r -> r.survey().ifPresent(s -> looked.add(r.server().id() + s.packages().size())));
    assertEquals(List.of("b0"), looked);
  }

  @Test
  void aClockThatIsOffIsAFinding() throws IOException {
    Clock ahead = Clock.fixed(Instant.now().plus(Duration.ofMinutes(10)), ZoneOffset.UTC);
    List<Finding> found =
        Drivers.open(
                new SiteAccess(
                    SiteKind.SERVERS,
                    "annex",
                    "",
                    List.of(key()),
                    List.of(at(server.port(), server.fingerprint()))),
                ahead)
            .check();
    assertTrue(
        found.stream()
            .anyMatch(f -> f.code() == Code.SITE_CLOCK_OFF && f.cause().contains("behind")),
        found + "");
  }

  @Test
  void whereMostServersAgreeAgainstOurClockItIsOurs() throws IOException {
    Clock behind = Clock.fixed(Instant.now().minus(Duration.ofMinutes(10)), ZoneOffset.UTC);
    List<ServerAccess> three = new ArrayList<>();
    for (int i = 0; i < 3; i++) {
      three.add(new ServerAccess("srv-" + i, "127.0.0.1", server.port(), server.fingerprint(), ""));
    }
    // One server listed three times stands for three that agree.
    List<Finding> off =
        Drivers.open(new SiteAccess(SiteKind.SERVERS, "annex", "", List.of(key()), three), behind)
            .check()
            .stream()
            .filter(f -> f.code() == Code.SITE_CLOCK_OFF)
            .toList();
    assertEquals(List.of("the service"), off.stream().map(Finding::thing).toList(), off + "");
    assertTrue(off.get(0).cause().contains("behind"), off + "");
  }

  @Test
  void nothingButReadingIsOffered() throws IOException {
    SiteDriver site = site(at(server.port(), server.fingerprint()), key());
    assertThrows(SiteException.class, site::source);
    assertThrows(SiteException.class, site::inventory);
    IllegalArgumentException refused =
        assertThrows(
            IllegalArgumentException.class,
            () -> site(at(22, ""), new SiteCredential("k", Type.KEY, "x", "nonsense", ANYWHERE)));
    assertTrue(refused.getMessage().contains("private key"), refused.getMessage());
  }

  /** A server of our own making that lets everybody in and answers every command alike. */
  private static org.apache.sshd.server.SshServer telling(byte[] answer, boolean forEver)
      throws IOException {
    return telling(answer, forEver, account -> {});
  }

  /** The key of a server of our own making, as it shows it. */
  private static String keyOf(org.apache.sshd.server.SshServer made) throws IOException {
    return read(site(at(made.getPort(), ""), password("any", "x"))).hostKey();
  }

  private static org.apache.sshd.server.SshServer telling(
      byte[] answer, boolean forEver, Consumer<String> offered) throws IOException {
    org.apache.sshd.server.SshServer made = org.apache.sshd.server.SshServer.setUpDefaultServer();
    made.setHost("127.0.0.1");
    made.setKeyPairProvider(new SimpleGeneratorHostKeyProvider(dir.resolve("made-up-key")));
    made.setPasswordAuthenticator(
        (account, password, session) -> {
          offered.accept(password);
          return true;
        });
    made.setPublickeyAuthenticator(
        (account, key, session) -> {
          offered.accept("a key");
          return false;
        });
    made.setCommandFactory(
        (channel, command) ->
            new org.apache.sshd.server.command.AbstractCommandSupport(command, null) {
              @Override
              public void run() {
                try {
                  OutputStream out = getOutputStream();
                  do {
                    out.write(answer);
                    out.flush();
                  } while (forEver);
                  onExit(0);
                } catch (IOException e) {
                  onExit(1);
                }
              }
            });
    made.start();
    return made;
  }

  @Test
  void aServerThatTellsNonsenseOrWithoutEndIsRefused() throws IOException {
    for (boolean forEver : List.of(false, true)) {
      org.apache.sshd.server.SshServer made =
          telling(
              ("format: bargelane/survey/1\n= time\n" + " 17\n".repeat(10_000))
                  .getBytes(StandardCharsets.UTF_8),
              forEver);
      try {
        Finding f =
            read(site(at(made.getPort(), keyOf(made)), password("any", "x")))
                .trouble()
                .orElseThrow();
        assertEquals(Code.SERVER_ANSWER_INVALID, f.code());
        assertTrue(
            f.cause().contains(forEver ? "longer than 16 MiB" : "ends in the middle"), f.cause());
      } finally {
        made.stop(true);
      }
    }
  }
}
