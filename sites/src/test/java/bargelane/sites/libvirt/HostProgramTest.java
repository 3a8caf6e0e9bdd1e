package bargelane.sites.libvirt;

import static java.nio.charset.StandardCharsets.UTF_8;
import static org.junit.jupiter.api.Assertions.assertArrayEquals;
import static org.junit.jupiter.api.Assertions.assertDoesNotThrow;
import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;
import static org.junit.jupiter.api.Assumptions.assumeTrue;

import bargelane.sites.SiteException;
import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.node.JsonNodeFactory;
import com.fasterxml.jackson.databind.node.ObjectNode;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Random;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.ExecutionException;
import java.util.concurrent.TimeUnit;
import java.util.stream.Stream;
import org.junit.jupiter.api.RepeatedTest;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

/** Our program on a host, with this machine as the host. */
class HostProgramTest {

  private static final Duration LONG = Duration.ofSeconds(60);

  @TempDir private Path dir;

  private HostShell shell() {
    return new HostShell("hithe", dir, Optional.empty());
  }

  private static HostProgram behind(String script) {
    return HostProgram.here(script, List.of("sh", "-c", script, "sh"));
  }

  private static HostProgram.Answer asked(HostProgram program, String... command) {
    ObjectNode request = JsonNodeFactory.instance.objectNode().put("limit", 60);
    Stream.of(command).forEach(request.putArray("command")::add);
    return program.call("hithe", "run", request, new byte[0], LONG);
  }

  private static Stream<ProcessHandle> named(String word) {
    return ProcessHandle.current()
        .descendants()
        .filter(p -> p.info().commandLine().orElse("").contains(word));
  }

  private static void begun(String word) {
    while (named(word).findAny().isEmpty()) {
      Thread.onSpinWait();
    }
  }

  @Test
  void callsAreAnsweredAsTheyEndAndNoneWaitsForAnother() throws Exception {
    Path gate = dir.resolve("gate");
    CompletableFuture<String> slow =
        CompletableFuture.supplyAsync(
            () ->
                shell()
                    .must(
                        "sh",
                        "-c",
                        "until [ -e \"$0\" ]; do sleep 0.01; done; echo open",
                        gate.toString()));
    List<CompletableFuture<String>> quick = new ArrayList<>();
    for (int i = 0; i < 20; i++) {
      String word = "w" + i;
      quick.add(CompletableFuture.supplyAsync(() -> shell().must("echo", word)));
    }
    for (int i = 0; i < quick.size(); i++) {
      assertEquals("w" + i + "\n", quick.get(i).get(1, TimeUnit.MINUTES));
    }
    assertFalse(slow.isDone());
    Files.createFile(gate);
    assertEquals("open\n", slow.get(1, TimeUnit.MINUTES));
    String parent = shell().must("sh", "-c", "echo $PPID");
    assertEquals(parent, shell().must("sh", "-c", "echo $PPID"), "one program for all");
  }

  @Test
  void whatIsPutIsReadBackWholeAndInParts() throws IOException {
    byte[] content = new byte[9_000_001];
    new Random(3).nextBytes(content);
    String file = dir.resolve("of ours/ä 'file'").toString();
    shell().put(file, content);
    assertArrayEquals(content, shell().read(file).orElseThrow());
    assertArrayEquals(
        new byte[] {content[9_000_000]}, shell().read(file, 9_000_000, 512).orElseThrow());
    assertEquals(Map.of(), shell().stat(List.of(file + "2")));
    assertEquals(
        "rw-------",
        java.nio.file.attribute.PosixFilePermissions.toString(
            Files.getPosixFilePermissions(Path.of(file))));
    shell().remove(List.of(), List.of(dir.resolve("of ours/ä") + ""), List.of());
    assertEquals(Optional.empty(), shell().read(file));
    assertEquals(List.of("no-such-program"), shell().missing(List.of("sh", "no-such-program")));
  }

  @Test
  void aFailureNamesTheSiteTheFileAndTheCause() throws IOException {
    Path file = Files.writeString(dir.resolve("file"), "");
    SiteException refused =
        assertThrows(SiteException.class, () -> shell().put(file + "/below", new byte[1]));
    assertEquals(SiteException.Kind.FINAL, refused.kind());
    assertTrue(refused.getMessage().matches("hithe: put .*/file.*: .+"), refused.getMessage());
    SiteException none = assertThrows(SiteException.class, () -> shell().must("no-such-program"));
    assertEquals("hithe: no-such-program: there is no such program", none.getMessage());
    SiteException late =
        assertThrows(
            SiteException.class,
            () -> shell().must(Duration.ofSeconds(1), "sh", "-c", "sleep 4321; true"));
    assertTrue(late.getMessage().contains("did not end within 1 s"), late.getMessage());
    assertEquals(0, named("sleep 4321").count(), "it ended with what it began");
  }

  @Test
  void asRootNothingIsDoneForADaemonWhoseAccountCanNotBeTold() {
    assumeTrue(System.getProperty("user.name").equals("root"));
    HostShell shell = new HostShell("hithe", dir.resolve("gone"), Optional.empty());
    SiteException away =
        assertThrows(
            SiteException.class, () -> shell.put(dir.resolve("file").toString(), new byte[1]));
    assertEquals(SiteException.Kind.MAY_PASS, away.kind());
    assertTrue(away.getMessage().contains("/gone is not there"), away.getMessage());
    assertFalse(Files.exists(dir.resolve("file")));
  }

  @Test
  void aTreeThatTwoRemoveAtOnceIsGoneForBoth() throws Exception {
    Path tree = Files.createDirectory(dir.resolve("tree"));
    for (int i = 0; i < 500; i++) {
      Files.createFile(tree.resolve("f" + i));
    }
    List<CompletableFuture<Void>> both = new ArrayList<>();
    for (int i = 0; i < 2; i++) {
      both.add(
          CompletableFuture.runAsync(
              () -> shell().remove(List.of(), List.of(), List.of(tree.toString()))));
    }
    for (CompletableFuture<Void> one : both) {
      one.get(1, TimeUnit.MINUTES);
    }
    assertFalse(Files.exists(tree));
  }

  @Test
  void whatCanNotBeWrittenWholeLeavesNothingAndWhatWasThereStays() throws IOException {
    Path file = Files.writeString(dir.resolve("file"), "before");
    ObjectNode request =
        JsonNodeFactory.instance.objectNode().put("file", file.toString()).put("mode", 0600);
    HostProgram small = behind("ulimit -f 8; exec \"$@\"");
    HostProgram.Answer answer = small.call("hithe", "put", request, new byte[1 << 20], LONG);
    assertEquals("File too large", answer.told().path("failed").asText());
    assertEquals("before", Files.readString(file));
    try (Stream<Path> files = Files.list(dir)) {
      assertEquals(1, files.count());
    }
  }

  @Test
  void oneThatIsEndedEndsWhatItRunsAndTheNextCallBeginsAnother() throws Exception {
    String marker = "exec sleep 4322 # ended";
    HostProgram program = behind("exec \"$@\" # ended");
    CompletableFuture<HostProgram.Answer> cut =
        CompletableFuture.supplyAsync(() -> asked(program, "sh", "-c", marker));
    begun("sleep 4322");
    List<ProcessHandle> running = named("sleep 4322").toList();
    running.get(0).parent().orElseThrow().destroy();
    SiteException told =
        (SiteException) assertThrows(ExecutionException.class, cut::get).getCause();
    assertEquals(SiteException.Kind.MAY_PASS, told.kind());
    assertEquals("unreachable", told.code());
    for (ProcessHandle p : running) {
      p.onExit().get(1, TimeUnit.MINUTES);
    }
    assertArrayEquals(
        "again\n".getBytes(StandardCharsets.UTF_8), asked(program, "echo", "again").body());
  }

  @RepeatedTest(5)
  void noneIsLeftOfManyThatAreBegunWhileItIsEnded() throws Exception {
    // Begun once: whoever comes when it has ended would begin another, and that would go on.
    Path once = dir.resolve("once");
    HostProgram program = behind("mkdir " + once + " || exit 1; exec \"$@\" # many");
    String itself = new String(asked(program, "sh", "-c", "echo $PPID").body(), UTF_8).strip();
    ProcessHandle host = ProcessHandle.of(Long.parseLong(itself)).orElseThrow();
    List<CompletableFuture<HostProgram.Answer>> all = new ArrayList<>();
    for (int i = 0; i < 40; i++) {
      all.add(
          CompletableFuture.supplyAsync(
              () -> asked(program, "sleep", "4325"), ask -> new Thread(ask).start()));
    }
    begun("sleep 4325");
    host.destroy();
    host.onExit().get(1, TimeUnit.MINUTES);
    List<ProcessHandle> left =
        ProcessHandle.allProcesses()
            .filter(p -> p.info().commandLine().orElse("").endsWith("sleep 4325"))
            .toList();
    for (ProcessHandle p : left) {
      p.onExit().get(1, TimeUnit.MINUTES);
    }
    for (CompletableFuture<HostProgram.Answer> one : all) {
      // Cut off, or told in time that a signal ended it.
      one.exceptionally(cutOff -> null).get(1, TimeUnit.MINUTES);
    }
  }

  private static void hold(HostProgram program, Path lock) {
    ObjectNode request = JsonNodeFactory.instance.objectNode().put("file", lock.toString());
    JsonNode told = program.call("hithe", "hold", request, new byte[0], LONG).told();
    assertEquals("", told.path("failed").asText());
  }

  private static boolean hasOpen(long process, Path file) {
    try (Stream<Path> open = Files.list(Path.of("/proc/" + process + "/fd"))) {
      for (Path f : open.toList()) {
        if (Files.exists(f) && Files.isSameFile(f, file)) {
          return true;
        }
      }
      return false;
    } catch (IOException e) {
      return false; // one that was closed meanwhile
    }
  }

  private static ProcessHandle process(HostProgram program) {
    String pid = new String(asked(program, "sh", "-c", "echo $PPID").body(), UTF_8).strip();
    return ProcessHandle.of(Long.parseLong(pid)).orElseThrow();
  }

  @Test
  void aLockOfTheHostIsAnotherNodesOnlyWhenWhatWasBegunUnderItHasEnded() throws Exception {
    Path lock = dir.resolve("lock");
    Path gate = dir.resolve("gate");
    Path done = dir.resolve("done");
    HostProgram first = behind("exec \"$@\" # first node");
    HostProgram second = behind("exec \"$@\" # second node");
    ProcessHandle dies = process(first);
    ProcessHandle waits = process(second);
    hold(first, lock);
    String merge = "until [ -e " + gate + " ]; do sleep 0.01; done; touch " + done;
    CompletableFuture<HostProgram.Answer> cut =
        CompletableFuture.supplyAsync(() -> asked(first, "sh", "-c", merge));
    begun(gate.toString());
    CompletableFuture<Boolean> other =
        CompletableFuture.supplyAsync(
            () -> {
              hold(second, lock);
              return Files.exists(done);
            });
    while (!hasOpen(waits.pid(), lock)) {
      Thread.onSpinWait();
    }
    dies.destroyForcibly();
    assertThrows(ExecutionException.class, cut::get);
    for (int i = 0; i < 20; i++) {
      asked(second, "true");
      assertFalse(other.isDone(), "what was begun under the lock still works");
    }
    Files.createFile(gate);
    assertTrue(other.get(1, TimeUnit.MINUTES), "it has ended");
  }

  @Test
  void aLockThatIsReleasedIsAnothersWhateverWasBegunMeanwhile() {
    List<Integer> order = new ArrayList<>();
    String lock = dir.resolve("lock").toString();
    Path gate = dir.resolve("gate");
    String slow = "until [ -e " + gate + " ]; do sleep 0.01; done";
    HostShell one = shell();
    List<CompletableFuture<String>> begun = new ArrayList<>();
    one.alone(
        lock,
        () -> {
          order.add(1);
          begun.add(CompletableFuture.supplyAsync(() -> one.must("sh", "-c", slow)));
          begun(gate.toString());
        });
    shell().alone(lock, () -> order.add(2));
    assertFalse(begun.get(0).isDone());
    assertEquals(List.of(1, 2), order);
    assertDoesNotThrow(() -> Files.createFile(gate));
    begun.get(0).join();
  }

  @Test
  void whatAHostSaysAtALoginIsPassedOver() {
    HostProgram greets = behind("echo; echo 'Welcome to hithe.'; exec \"$@\"");
    assertArrayEquals("x\n".getBytes(StandardCharsets.UTF_8), asked(greets, "echo", "x").body());
  }

  @Test
  void aHostWithoutThePartsOrWithOthersSaysSo() {
    SiteException none =
        assertThrows(
            SiteException.class,
            () -> asked(behind("echo 'sh: 1: exec: python3: not found' >&2; exit 127"), "true"));
    assertEquals(HostProgram.PYTHON_MISSING, none.code());
    assertTrue(none.getMessage().contains("apt-get install python3"), none.getMessage());
    for (String nonsense : List.of("yes nonsense", "cat /dev/zero", "false")) {
      SiteException other =
          assertThrows(SiteException.class, () -> asked(behind("exec " + nonsense), "true"));
      assertEquals(SiteException.Kind.MAY_PASS, other.kind(), nonsense);
      assertTrue(other.getMessage().startsWith("hithe: "), other.getMessage());
    }
  }

  @Test
  void onlyTheDiskServerOfItsSocketIsEnded() throws Exception {
    String base = dir.resolve("e1").toString();
    Process other = new ProcessBuilder("sleep", "4323").start();
    Process server =
        new ProcessBuilder("sh", "-c", "sleep 4324; true", "sh", "--socket=" + base + ".sock")
            .start();
    try {
      Files.writeString(Path.of(base + ".pid"), other.pid() + "\n");
      shell().end(base);
      assertTrue(other.isAlive(), "its number had been used again");
      assertFalse(Files.exists(Path.of(base + ".pid")));
      Files.writeString(Path.of(base + ".pid"), server.pid() + "\n");
      shell().end(base);
      assertTrue(server.waitFor(30, TimeUnit.SECONDS), "it is ended");
      shell().end(base);
    } finally {
      other.descendants().forEach(ProcessHandle::destroyForcibly);
      other.destroyForcibly();
      named("sleep 4324").forEach(ProcessHandle::destroyForcibly);
      server.destroyForcibly();
    }
  }

  @Test
  void whoeverIsSlowerNeverReplacesAFileThatWasMade() throws IOException {
    String file = dir.resolve("made").toString();
    shell().make(file, "sh", "-c", "echo first > \"$0\"", "{}");
    shell().make(file, "sh", "-c", "echo second > \"$0\"", "{}");
    assertEquals("first\n", Files.readString(Path.of(file)));
    String slow = dir.resolve("slow").toString();
    shell().make(slow, "sh", "-c", "echo mine > \"$0\"; echo theirs > \"$1\"", "{}", slow);
    assertEquals("theirs\n", Files.readString(Path.of(slow)));
    assertThrows(
        SiteException.class,
        () -> shell().make(dir + "/half", "sh", "-c", "echo half > \"$0\"; exit 1", "{}"));
    try (Stream<Path> files = Files.list(dir)) {
      assertEquals(2, files.count(), "nothing half made is left");
    }
  }
}
