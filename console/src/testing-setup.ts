import { configure } from '@testing-library/react';

// How long is waited for what a page shows in the end; on a busy machine drawing takes its time.
configure({ asyncUtilTimeout: 20_000 });
