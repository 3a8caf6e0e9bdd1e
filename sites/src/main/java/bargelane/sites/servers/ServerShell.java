package bargelane.sites.servers;

import bargelane.core.finding.Action;
import bargelane.core.finding.Finding;
import bargelane.core.finding.Finding.Code;
import bargelane.core.finding.Finding.Who;
import bargelane.core.finding.Remedy;
import bargelane.core.guest.Survey;
import bargelane.core.guest.SurveyException;
import bargelane.core.guest.SurveyReader;
import bargelane.sites.ServerAccess;
import bargelane.sites.SiteCredential;
import bargelane.sites.Surveys.Reading;
import java.io.ByteArrayInputStream;
import java.io.ByteArrayOutputStream;
import java.io.Closeable;
import java.io.IOException;
import java.io.InputStream;
import java.io.OutputStream;
import java.io.UncheckedIOException;
import java.nio.charset.StandardCharsets;
import java.security.GeneralSecurityException;
import java.security.KeyPair;
import java.time.Duration;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.EnumSet;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import java.util.stream.Collectors;
import org.apache.sshd.client.SshClient;
import org.apache.sshd.client.channel.ChannelExec;
import org.apache.sshd.client.channel.ClientChannelEvent;
import org.apache.sshd.client.session.ClientSession;
import org.apache.sshd.common.AttributeRepository;
import org.apache.sshd.common.NamedResource;
import org.apache.sshd.common.config.keys.KeyUtils;
import org.apache.sshd.common.digest.BuiltinDigests;
import org.apache.sshd.common.keyprovider.KeyIdentityProvider;
import org.apache.sshd.common.util.security.SecurityUtils;

/**
 * Runs the survey's script on servers over SSH (RFC 4251 to 4254). Nothing is installed: the script
 * goes in by the shell's input, what it prints comes back. A host key other than the known ones is
 * never talked to, and no credential is shown to it.
 */
final class ServerShell implements Closeable {

  private static final Duration PATIENCE = Duration.ofSeconds(15);
  private static final Duration LONGEST_RUN = Duration.ofSeconds(60);
  private static final int LONGEST_ANSWER = 16 << 20;
  private static final byte[] SCRIPT = script();

  /** What the server's key turned out to be, for the session that asked. */
  private static final class Shown {
    private static final AttributeRepository.AttributeKey<Shown> KEY =
        new AttributeRepository.AttributeKey<>();

    private final Set<String> known;
    private volatile String fingerprint = "";
    private volatile boolean refused;

    Shown(String known) {
      this.known = known.isBlank() ? Set.of() : Set.of(known.strip().split(" +"));
    }
  }

  private final String site;
  private final SshClient client;

  ServerShell(String site) {
    this.site = site;
    this.client = SshClient.setUpDefaultClient();
    // Nothing of the account that the service runs as: no keys, no configuration, no agent.
    client.setKeyIdentityProvider(KeyIdentityProvider.EMPTY_KEYS_PROVIDER);
    client.setHostConfigEntryResolver(
        org.apache.sshd.client.config.hosts.HostConfigEntryResolver.EMPTY);
    client.setAgentFactory(null);
    client.setServerKeyVerifier(
        (session, address, key) -> {
          Shown shown = session.getConnectionContext().getAttribute(Shown.KEY);
          shown.fingerprint = KeyUtils.getFingerPrint(BuiltinDigests.sha256, key);
          shown.refused = !shown.known.contains(shown.fingerprint);
          return !shown.refused;
        });
    client.start();
  }

  @Override
  public void close() {
    client.stop();
  }

  /**
   * Reads one server.
   *
   * @param credentials the one that let us in last, alone; before there is one, keys in their order
   *     and then passwords in theirs, which the other side gets to see
   * @param part {@code all} or {@code counters}
   */
  Reading read(ServerAccess server, List<SiteCredential> credentials, String part) {
    Shown shown = new Shown(server.hostKey());
    List<SiteCredential> order = new ArrayList<>(credentials);
    order.removeIf(c -> !c.destinations().allow(server.host(), server.port()));
    if (order.isEmpty() && !credentials.isEmpty()) {
      return trouble(
          server,
          shown,
          Code.CREDENTIAL_NOT_FOR_SERVER,
          "no credential of the site may be sent to it: "
              + credentials.stream()
                  .map(c -> c.name() + " goes to " + c.destinations())
                  .collect(Collectors.joining("; ")),
          Remedy.of(
              "store a secret anew with this server among its destinations",
              Action.CREDENTIAL_BIND,
              credentials.get(0).name()));
    }
    order.sort(Comparator.comparing(c -> c.type() != SiteCredential.Type.KEY));
    boolean known = order.stream().anyMatch(c -> c.name().equals(server.credential()));
    if (known) {
      order.removeIf(c -> !c.name().equals(server.credential()));
    }
    List<String> refused = new ArrayList<>();
    try {
      for (SiteCredential credential : order) {
        Optional<ClientSession> session = enter(server, credential, shown);
        if (session.isEmpty()) {
          refused.add(credential.name());
          continue;
        }
        try (ClientSession in = session.get()) {
          Survey survey = SurveyReader.read(run(in, part));
          return new Reading(
              server, Optional.of(survey), shown.fingerprint, credential.name(), Optional.empty());
        } catch (SurveyException e) {
          return trouble(
              server,
              shown,
              Code.SERVER_ANSWER_INVALID,
              "its answer is not a survey: " + e.getMessage(),
              Remedy.advice(
                  "log in there as "
                      + credential.account()
                      + " and see that a shell starts and prints nothing of its own"));
        }
      }
    } catch (IOException e) {
      if (shown.refused && shown.known.isEmpty()) {
        return trouble(
            server,
            shown,
            Code.SERVER_KEY_UNKNOWN,
            "it shows the host key "
                + shown.fingerprint
                + ", which nobody has approved; nothing was offered to it",
            Remedy.of(
                "hold it against the server's own, and approve it",
                Action.SERVER_TRUST,
                site,
                server.address(),
                shown.fingerprint));
      }
      return shown.refused
          ? trouble(
              server,
              shown,
              Code.SERVER_KEY_CHANGED,
              "it shows the host key " + shown.fingerprint + ", and not " + server.hostKey(),
              Remedy.of(
                  "if that is right, trust it",
                  Action.SERVER_TRUST,
                  site,
                  server.address(),
                  shown.fingerprint))
          : trouble(
              server,
              shown,
              Code.SITE_UNREACHABLE,
              cause(e),
              Remedy.advice(
                  "see that port "
                      + server.port()
                      + " is open from here and that an SSH server answers there"));
    }
    return trouble(
        server,
        shown,
        Code.SITE_TOKEN_REFUSED,
        order.isEmpty()
            ? "the site has no credential to log in with"
            : known
                ? refused.get(0) + ", which let us in before, is refused; no other was offered"
                : "none of the credentials lets us in: " + String.join(", ", refused),
        known
            ? Remedy.of(
                "store its secret anew, or approve the server's host key again to have all tried",
                Action.CREDENTIAL_EDIT,
                refused.get(0))
            : Remedy.of("store one that does, and give it to the site", Action.CREDENTIAL_ADD));
  }

  private Reading trouble(
      ServerAccess server, Shown shown, Code code, String cause, Remedy remedy) {
    return new Reading(
        server,
        Optional.empty(),
        shown.fingerprint,
        "",
        Optional.of(
            new Finding(
                code,
                server.address() + " of " + site,
                cause,
                remedy,
                code == Code.SERVER_KEY_UNKNOWN || code == Code.CREDENTIAL_NOT_FOR_SERVER
                    ? Who.ENGINEER
                    : Who.SITE_OWNER)));
  }

  private static String cause(IOException e) {
    Throwable deepest = e;
    while (deepest.getCause() != null && deepest.getCause() != deepest) {
      deepest = deepest.getCause();
    }
    String said = deepest.getMessage();
    return said == null || said.isBlank() ? deepest.getClass().getSimpleName() : said;
  }

  /** A session that is logged in; none if the credential is refused. */
  private Optional<ClientSession> enter(ServerAccess server, SiteCredential credential, Shown shown)
      throws IOException {
    ClientSession session =
        client
            .connect(
                credential.account(),
                server.host(),
                server.port(),
                AttributeRepository.ofKeyValuePair(Shown.KEY, shown),
                null)
            .verify(PATIENCE)
            .getSession();
    boolean in = false;
    try {
      if (credential.type() == SiteCredential.Type.KEY) {
        keys(credential).forEach(session::addPublicKeyIdentity);
      } else {
        session.addPasswordIdentity(credential.secret());
      }
      // The exchange of keys comes first: its failures are the connection's, not the login's.
      Set<ClientSession.ClientSessionEvent> events =
          session.waitFor(
              EnumSet.of(
                  ClientSession.ClientSessionEvent.WAIT_AUTH,
                  ClientSession.ClientSessionEvent.CLOSED),
              PATIENCE);
      if (!events.contains(ClientSession.ClientSessionEvent.WAIT_AUTH)) {
        throw new IOException(
            shown.refused ? "another host key" : "no SSH server answered within 15 s");
      }
      in = session.auth().await(PATIENCE) && session.isAuthenticated();
      return in ? Optional.of(session) : Optional.empty();
    } finally {
      if (!in) {
        session.close(true);
      }
    }
  }

  /**
   * The keys of a private key's text.
   *
   * @throws IllegalArgumentException if there are none, or they are locked by a passphrase
   */
  static List<KeyPair> keys(SiteCredential credential) {
    List<KeyPair> keys = new ArrayList<>();
    try {
      Iterable<KeyPair> read =
          SecurityUtils.loadKeyPairIdentities(
              null,
              NamedResource.ofName(credential.name()),
              new ByteArrayInputStream(credential.secret().getBytes(StandardCharsets.UTF_8)),
              null);
      if (read != null) {
        read.forEach(keys::add);
      }
    } catch (IOException | GeneralSecurityException e) {
      throw new IllegalArgumentException(
          "the private key can't be read (one with a passphrase can't be used): " + e.getMessage(),
          e);
    }
    if (keys.isEmpty()) {
      throw new IllegalArgumentException("this is not a private key in PEM or OpenSSH's form");
    }
    return keys;
  }

  private static byte[] script() {
    try (InputStream in = Survey.class.getResourceAsStream("survey.sh")) {
      return in.readAllBytes();
    } catch (IOException e) {
      throw new UncheckedIOException("the survey's script is not in the program", e);
    }
  }

  private static String run(ClientSession session, String part)
      throws IOException, SurveyException {
    Bounded told = new Bounded();
    try (ChannelExec channel = session.createExecChannel("sh -s " + part)) {
      channel.setIn(new ByteArrayInputStream(SCRIPT));
      told.over = () -> channel.close(true);
      channel.setOut(told);
      channel.setErr(OutputStream.nullOutputStream());
      channel.open().verify(PATIENCE);
      Set<ClientChannelEvent> events =
          channel.waitFor(EnumSet.of(ClientChannelEvent.CLOSED), LONGEST_RUN);
      if (!events.contains(ClientChannelEvent.CLOSED)) {
        throw new SurveyException(
            told.full
                ? "it is longer than " + (LONGEST_ANSWER >> 20) + " MiB"
                : "it was not at its end after " + LONGEST_RUN.toSeconds() + " s");
      }
    }
    if (told.full) {
      throw new SurveyException("it is longer than " + (LONGEST_ANSWER >> 20) + " MiB");
    }
    return told.bytes.toString(StandardCharsets.UTF_8);
  }

  /** Keeps no more than the longest answer; more ends the channel. */
  private static final class Bounded extends OutputStream {
    private final ByteArrayOutputStream bytes = new ByteArrayOutputStream();
    private volatile boolean full;
    private Runnable over = () -> {};

    @Override
    public void write(int b) throws IOException {
      write(new byte[] {(byte) b}, 0, 1);
    }

    @Override
    public void write(byte[] b, int off, int len) throws IOException {
      if (bytes.size() + len > LONGEST_ANSWER) {
        full = true;
        over.run();
        throw new IOException("too much");
      }
      bytes.write(b, off, len);
    }
  }
}
