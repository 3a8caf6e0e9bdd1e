package bargelane.service.move;

import java.io.ByteArrayOutputStream;
import java.net.http.HttpResponse;
import java.nio.ByteBuffer;
import java.util.List;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.CompletionStage;
import java.util.concurrent.Flow;

/** The beginning of a response's body. What comes after it is not read, and the connection ends. */
final class BriefBody implements HttpResponse.BodySubscriber<byte[]> {

  /** The most bytes that are read. */
  static final int MOST = 64 * 1024;

  private final CompletableFuture<byte[]> body = new CompletableFuture<>();
  private final ByteArrayOutputStream held = new ByteArrayOutputStream();
  private Flow.Subscription from;

  @Override
  public CompletionStage<byte[]> getBody() {
    return body;
  }

  @Override
  public void onSubscribe(Flow.Subscription subscription) {
    from = subscription;
    from.request(1);
  }

  @Override
  public void onNext(List<ByteBuffer> parts) {
    for (ByteBuffer part : parts) {
      byte[] bytes = new byte[Math.min(part.remaining(), MOST - held.size())];
      part.get(bytes);
      held.writeBytes(bytes);
    }
    if (held.size() < MOST) {
      from.request(1);
    } else {
      from.cancel();
      onComplete();
    }
  }

  @Override
  public void onError(Throwable e) {
    body.completeExceptionally(e);
  }

  @Override
  public void onComplete() {
    body.complete(held.toByteArray());
  }
}
